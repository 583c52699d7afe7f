"""adzeguard retire."""

from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.csv_files import read_rows
from adzeguard.cli.enacting import enact_draft, enact_work
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
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
from adzeguard.cli.output import put_view, say
from adzeguard.cli.tidy import command as tidy
from adzeguard.core.errors import AmbiguousNameError, InputError, UnknownNameError, UsageError
from adzeguard.core.wording import when
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal

_NO = frozenset({"no", "n", "keep", "false", "0"})


class _Retire(CommandGroup):
    """Takes a name in the place of a command for something to put away."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Let "retire NAME" mean "retire away NAME"."""
        if args and args[0] not in self.commands:
            args = ["away", *args]
        return super().resolve_command(ctx, args)

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """List where nothing is named; let an option in the first place belong to "away", except the group's own."""
        if not args:
            args = ["list"]
        elif args[0].startswith("-") and args[0] not in ("-h", "--help"):
            args = ["away", *args]
        return super().parse_args(ctx, args)


@click.group("retire", cls=_Retire, epilog=example("adzeguard retire 'Old Regatta' --why 'over since the summer'"))
def command() -> None:
    """Retire objects that are no longer needed, restore them, or delete them in the end.

    `retire NAME...` is `retire away NAME...`.
    """


command.add_command(tidy)


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
    """Retire objects: move them to the holding OU, disable them, and remove them from groups that give power.

    Power comes from privileged groups, from groups that lead into one by nesting or by rights, and from groups that
    administer hosts. Their old place is kept for retire restore. Everything else that still names them is listed:
    entries on hosts and shares, grants, rules.

    A directory policy stays where it is and loses its links.
    """
    from adzeguard.workspace.retired import PuttingAway

    if bool(given) == (file is not None):
        raise UsageError("say NAME or --from FILE", "See: adzeguard retire away --help")
    workspace = opened(folder)
    work = PuttingAway(workspace, lambda: _named(workspace, given, file), to or "", wait, why)
    code = enact_draft(workspace, work.draft, answers)
    for note in work.only_noted if answers.only_propose is None else ():
        say(f"{note.name} is linked nowhere, and is put away until {when(note.until)}.")
    return code


@command.command("list", epilog=example("adzeguard retire list"))
@click.option("--deleted", is_flag=True, help="What was deleted, and can be restored.")
@listing_options
@workspace_option
def list_command(deleted: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """List retired objects: where each was, until when it waits, by whom and why.

    Deleted objects are those that the directory keeps for a while, with their SID, and those that the journal can make
    anew.
    """
    from adzeguard.workspace.deleted import listed as listed_deleted
    from adzeguard.workspace.retired import listed

    workspace = opened(folder)
    put_view(listed_deleted(workspace) if deleted else listed(workspace), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("restore", epilog=example("adzeguard retire restore --help"))
@click.argument("given", nargs=-1, required=True, metavar="NAME...", shell_complete=names())
@click.option("--deleted", is_flag=True, help="Of what was deleted: see retire list --deleted.")
@why_option
@enacting_options
@workspace_option
def restore(given: tuple[str, ...], deleted: bool, why: str, answers: Answers, folder: Path | None) -> int:
    """Restore retired objects: their place, their state, their groups and their links.

    A deleted object comes back with its SID where the directory keeps it, and is made anew elsewhere; its values and
    groups come from the journal, or from the last collection before it was deleted. An account is disabled, and has no
    password.
    """
    from adzeguard.workspace.deleted import Restoring
    from adzeguard.workspace.retired import BringingBack

    workspace = opened(folder)
    if deleted:
        return enact_work(workspace, Restoring(workspace, given, why), answers)
    work = BringingBack(workspace, given, why)
    try:
        code = enact_work(workspace, work, answers)
    except (UnknownNameError, AmbiguousNameError) as error:
        way_out = f"{error.way_out}; was it deleted? See: adzeguard retire list --deleted".removeprefix("; ")
        raise type(error)(error.message, way_out) from error
    if answers.only_propose is None:
        work.forget_what_lies_as_it_lay()
    return code


@command.command("finish", epilog=example("adzeguard retire finish"))
@click.argument("given", nargs=-1, metavar="[NAME...]", shell_complete=names())
@click.option("--anyway", is_flag=True, help="Also delete objects that still wait, or that something names.")
@why_option
@enacting_options
@workspace_option
def finish(given: tuple[str, ...], anyway: bool, why: str, answers: Answers, folder: Path | None) -> int:
    """Delete retired objects that have waited long enough and that nothing names; for the others, list what names them.

    Groups that list the object do not count; it is removed from them first. The journal keeps its attributes.
    """
    from adzeguard.workspace.retired import Finishing

    workspace = opened(folder)
    finishing = Finishing(workspace, given, why, anyway=anyway)
    return enact_draft(workspace, finishing.draft, answers)


def _named(workspace: "Workspace", given: tuple[str, ...], file: Path | None) -> "list[Principal]":
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
