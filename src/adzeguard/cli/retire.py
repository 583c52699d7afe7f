"""adzeguard retire."""

from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.csv_files import read_rows
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import LENGTH
from adzeguard.cli.opening import opened
from adzeguard.cli.options import (
    Answers,
    enacting_options,
    example,
    listing_options,
    why_option,
    workspace_option,
)
from adzeguard.cli.output import put_view
from adzeguard.core.errors import InputError, UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from adzeguard.core.change.draft import Draft
    from adzeguard.core.cleaning.retired import Retired
    from adzeguard.core.cleaning.uses import Use
    from adzeguard.core.estate.principal import Principal

_NO = frozenset({"no", "n", "keep", "false", "0"})


class _Retire(click.Group):
    """Takes a name in the place of a command for something to put away."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Let "retire NAME" mean "retire away NAME"."""
        if args and args[0] not in self.commands:
            args = ["away", *args]
        return super().resolve_command(ctx, args)

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Let an option in the first place belong to "away" too, except the group's own."""
        if args and args[0].startswith("-") and args[0] not in ("-h", "--help"):
            args = ["away", *args]
        return super().parse_args(ctx, args)


@click.group("retire", cls=_Retire, epilog=example("adzeguard retire 'Old Regatta' --why 'over since the summer'"))
def command() -> None:
    """Put away what nobody needs any more, bring it back, or delete it in the end.

    retire NAME... puts away: see retire away.
    """


@command.command("away", epilog=example("adzeguard retire away lior.nye --why 'left the company'"))
@click.argument("given", nargs=-1, metavar="NAME...", shell_complete=names())
@click.option(
    "--from",
    "file",
    type=click.Path(path_type=Path, dir_okay=False, exists=True),
    metavar="FILE",
    help="A CSV file with the column name, such as stale writes; rows whose column take says no are left out.",
)
@click.option("--to", metavar="OU", shell_complete=containers, help="Where to; otherwise [retire] ou.")
@click.option("--wait", type=LENGTH, metavar="TIME", help="How long it waits; otherwise [retire] wait_days.")
@why_option
@enacting_options
@workspace_option
def away(
    given: tuple[str, ...],
    file: Path | None,
    to: str | None,
    wait: timedelta | None,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Put things away: into the holding OU, disabled, out of privileged groups; where they were is noted.

    A directory policy stays where it is and is linked nowhere any more.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.cleaning.retired import Noted, put_away
    from adzeguard.store.retired import RetiredThings

    if bool(given) == (file is not None):
        raise UsageError("say NAME or --from FILE", "See: adzeguard retire away --help")
    workspace = opened(folder)
    notes = RetiredThings(workspace.database)
    now = workspace.now()
    noted = Noted(now, now + (wait or timedelta(days=workspace.settings.retire.wait_days)), workspace.operator(), why)
    put: dict[str, Retired] = {}

    def draft() -> Draft:
        put.clear()
        holding = container_at(workspace.estate, to or workspace.settings.retire.ou)
        changes = []
        for one in _named(workspace, given, file):
            some, note = put_away(workspace.estate, one, holding, workspace.privileged, noted)
            changes += some
            put[note.key] = note
        # Noted before anything is moved: what is moved without a note could not be brought back.
        for note in put.values():
            notes.write(note)
        return Draft.of(changes)

    try:
        return enact_draft(workspace, draft, answers)
    finally:
        _forget_what_did_not_happen(workspace, put.values())


@command.command("list", epilog=example("adzeguard retire list"))
@listing_options
@workspace_option
def list_command(form: str, output: Path | None, folder: Path | None) -> int:
    """List what is put away, where it was, until when it waits, by whom and why.

    Keys of json and csv: name, dn, from, since, until, by, why.
    """
    from adzeguard.core.views.retired import retired_table

    workspace = opened(folder)
    things = _lying(workspace)
    put_view(retired_table(things, _uses(workspace, things), workspace.now()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("restore", epilog=example("adzeguard retire restore --help"))
@click.argument("given", nargs=-1, required=True, metavar="NAME...", shell_complete=names())
@why_option
@enacting_options
@workspace_option
def restore(given: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    """Bring things back: to where they were, enabled if they were, into the groups and links they were taken out of.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.core.cleaning.retired import brought_back

    workspace = opened(folder)

    def draft() -> "Draft":
        return _together(brought_back(workspace.estate, one, why) for one in _chosen(workspace, given))

    chosen = _chosen(workspace, given)
    try:
        return enact_draft(workspace, draft, answers)
    finally:
        _forget_what_came_back(workspace, chosen)


@command.command("finish", epilog=example("adzeguard retire finish"))
@click.argument("given", nargs=-1, metavar="[NAME...]", shell_complete=names())
@click.option("--anyway", is_flag=True, help="Also what waits still, or is named by something.")
@why_option
@enacting_options
@workspace_option
def finish(given: tuple[str, ...], anyway: bool, why: str, answers: Answers, folder: Path | None) -> int:
    """Delete what has waited long enough and nothing names any more; of anything else, say what names it still.

    The groups that list it do not count; it is taken out of them first. The journal keeps its attributes.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.core.change.change import BY_HAND_RULE
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.proposal import LeftOut
    from adzeguard.core.cleaning.retired import ended

    workspace = opened(folder)
    if anyway and not given:
        raise UsageError("--anyway wants the names of what is to be deleted", "See: adzeguard retire list")

    def draft() -> Draft:
        things = _chosen(workspace, given) if given else _lying(workspace)
        uses, drafts = _uses(workspace, things), []
        for one in things:
            if one.until > workspace.now() and not anyway:
                reason = f"it waits until {one.until.astimezone():%Y-%m-%d %H:%M}"
                left = LeftOut(subject=one.now, member=one.name, rule=BY_HAND_RULE, reason=reason)
                drafts.append(Draft((), (left,)))
            else:
                drafts.append(ended(workspace.estate, one, uses.get(one.key, ()), why or one.why, anyway=anyway))
        return _together(drafts)

    before = _lying(workspace)
    try:
        return enact_draft(workspace, draft, answers)
    finally:
        _forget_what_did_not_happen(workspace, before)


def _together(drafts: "Iterable[Draft]") -> "Draft":
    from adzeguard.core.change.draft import Draft

    several = list(drafts)
    changes = tuple(change for one in several for change in one.changes)
    return Draft(changes, tuple(left for one in several for left in one.left_out))


def _named(workspace: Workspace, given: tuple[str, ...], file: Path | None) -> "list[Principal]":
    """Return what is to be put away; of a file each line that says nothing against it, by its SID where it has one."""
    from adzeguard.core.errors import AdzeguardError
    from adzeguard.core.estate.names import resolve

    if file is None:
        return [resolve(workspace.estate, name) for name in given]
    found: dict[int, Principal] = {}
    for line, row in read_rows(file, {"name"}, mebibytes=64):
        if row.get("take", "").strip().casefold() in _NO:
            continue
        try:
            one = resolve(workspace.estate, row.get("sid") or row.get("dn") or row["name"])
        except AdzeguardError as error:
            raise InputError(f"{file}:{line}: {error.message}", error.way_out) from error
        found[one.id] = one
    return list(found.values())


def _lying(workspace: Workspace) -> "list[Retired]":
    """Return what is put away and lies where it was put."""
    from adzeguard.core.cleaning.retired import found
    from adzeguard.store.retired import RetiredThings

    return [one for one in RetiredThings(workspace.database).all() if found(workspace.estate, one) is not None]


def _chosen(workspace: Workspace, given: tuple[str, ...]) -> "list[Retired]":
    """Return those of them that are named."""
    from adzeguard.core.estate.names import resolve

    lying = {one.key: one for one in _lying(workspace)}
    chosen = []
    for name in given:
        principal = resolve(workspace.estate, name)
        one = lying.get(str(principal.sid or "")) or lying.get(principal.dn.casefold())
        if one is None:
            one = next((other for other in lying.values() if other.now.casefold() == principal.dn.casefold()), None)
        if one is None:
            raise UsageError(f"{principal.qualified_name} is not put away", "See: adzeguard retire list")
        chosen.append(one)
    return chosen


def _uses(workspace: Workspace, things: "Sequence[Retired]") -> "dict[str, list[Use]]":
    """Return by the keys of things what names each."""
    from adzeguard.core.cleaning.retired import found
    from adzeguard.core.cleaning.uses import Named, uses_by_id
    from adzeguard.store.leases import Leases
    from adzeguard.store.questions import Waivers

    about = {one.key: p for one in things if (p := found(workspace.estate, one)) is not None}
    if not about:
        return {}
    waivers = [one for one in Waivers(workspace.database).all() if one.holds(workspace.now())]
    named = Named(
        workspace.rights,
        workspace.charter,
        Leases(workspace.database).all(),
        waivers,
        list(about.values()),
        workspace.shared,
    )
    by_id = uses_by_id(named)
    return {key: by_id.get(principal.id, []) for key, principal in about.items()}


def _forget_what_did_not_happen(workspace: Workspace, noted: "Iterable[Retired]") -> None:
    """Forget the notes of what does not lie where it was put: it was not moved, or is gone."""
    from adzeguard.core.cleaning.retired import found
    from adzeguard.store.retired import RetiredThings
    from adzeguard.workflows.interrupted import interrupted_enactment

    several = list(noted)
    if not several or interrupted_enactment(workspace.journal) is not None:
        return  # what was begun may be gone on with, and needs its notes
    workspace.look_anew()
    for one in several:
        is_linked_still = one.links and not any(_stands(workspace, link.dn, link.after) for link in one.links)
        if found(workspace.estate, one) is None or is_linked_still:
            RetiredThings(workspace.database).forget(one)


def _forget_what_came_back(workspace: Workspace, chosen: "Sequence[Retired]") -> None:
    """Forget the notes of what is back: elsewhere than where it was put, or a policy that is linked again."""
    from adzeguard.core.cleaning.retired import found
    from adzeguard.store.retired import RetiredThings

    workspace.look_anew()
    for one in chosen:
        still = found(workspace.estate, one)
        if still is None or (one.links and all(_stands(workspace, link.dn, link.before) for link in one.links)):
            RetiredThings(workspace.database).forget(one)


def _stands(workspace: Workspace, dn: str, links: str) -> bool:
    found_id = workspace.estate.catalogue.by_dn(dn)
    return found_id is not None and str(workspace.estate.principal(found_id).details.get("policy_links", "")) == links
