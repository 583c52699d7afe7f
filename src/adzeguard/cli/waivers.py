"""adzeguard waivers: what is left as it is until a date."""

from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace


@click.group(
    "waivers",
    cls=CommandGroup,
    instead={"list": "adzeguard waivers"},
    invoke_without_command=True,
    epilog=example("adzeguard waivers"),
)
@click.option("--all", "everything", is_flag=True, help="Also those that are over.")
@listing_options
@workspace_option
@click.pass_context
def command(context: click.Context, everything: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """List what is left as it is: by whom, why, until when, and how often that was renewed.

    Keys of json and csv: id, rule, subject, member, by, why, until, renewed, state.
    """
    if context.invoked_subcommand is not None:
        return Exit.NOTHING_TO_REPORT
    from adzeguard.core.views.questions import waivers_table
    from adzeguard.store.questions import Waivers

    workspace = opened(folder)
    shown = [one for one in Waivers(workspace.database).all() if everything or one.holds(workspace.now())]
    put_view(waivers_table(shown, workspace.now()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("add", epilog=example("adzeguard waivers add 84f36c80efd5f439 --until 2w --why 'until the move'"))
@click.argument("fingerprint")
@click.option("--until", type=COMING, required=True, metavar="DATE", help="Until then: 2026-12-24, 2w, 30d.")
@click.option("--why", required=True, metavar="TEXT", help="Why; whoever asks later reads it.")
@workspace_option
def add(fingerprint: str, until: datetime, why: str, folder: Path | None) -> int:
    """Leave a finding as it is until a date, of whichever check; its fingerprint is told by check --format json.

    Until then check tells it as a note. Rules that tell are asked about: adzeguard answer leaves those.
    It stands in the journal, and can be undone.
    """
    from adzeguard.core.change.kinds.set_note import SetNote, set_note
    from adzeguard.core.errors import UnknownNameError
    from adzeguard.core.time.question import Waiver
    from adzeguard.store.questions import Waivers
    from adzeguard.workflows.asking import Left, waiver_over
    from adzeguard.workspace.notes import note

    workspace = opened(folder)
    refuse_moment(workspace, until, why)
    found = next((f for f in workspace.findings() if f.fingerprint == fingerprint), None)
    if found is None:
        raise UnknownNameError(
            f"nothing that is found now has the fingerprint '{fingerprint}'",
            "See: adzeguard check --columns fingerprint,subject,message",
        )
    where = found.host.name if found.host is not None else found.subject.name
    about = Left(fingerprint, found.rule or found.check, where, found.member_name)
    made: list[Waiver] = []

    def left() -> list[SetNote]:
        earlier = Waivers(workspace.database).all()
        made.append(waiver_over(earlier, about, until, workspace.operator(), why, workspace.now()))
        return [set_note(None, made[0], why)]

    note(workspace, left)
    say(f"{made[0].id}: {where} is {made[0].in_words()}")
    return Exit.NOTHING_TO_REPORT


def refuse_moment(workspace: Workspace, until: datetime, why: str) -> None:
    """Refuse to leave something until what is over or too far away, or without a reason."""
    longest = workspace.settings.questions.longest_days
    if not why.strip():
        raise UsageError("--why says nothing", "Give a reason: somebody will ask")
    if until <= workspace.now():
        raise UsageError(f"{until:%Y-%m-%d %H:%M} is over", "Name a date to come")
    if until > workspace.now() + timedelta(days=longest):
        raise UsageError(
            f"nothing is left for longer than {longest} days", "It is asked again then; name a date before"
        )


@command.command("end", epilog=example("adzeguard waivers end W1"))
@click.argument("waiver")
@workspace_option
def end(waiver: str, folder: Path | None) -> int:
    """End a waiver before its time. If the deviation still stands, the next round asks again."""
    from adzeguard.core.change.kinds.set_note import SetNote, set_note
    from adzeguard.store.questions import Waivers
    from adzeguard.workflows.asking import waiver_named
    from adzeguard.workspace.notes import note

    workspace = opened(folder)

    def ended() -> list[SetNote]:
        standing = waiver_named(Waivers(workspace.database).all(), waiver, workspace.now())
        return [set_note(standing, replace(standing, ended=workspace.now()), "ended before its time")]

    found = waiver_named(Waivers(workspace.database).all(), waiver, workspace.now())
    note(workspace, ended)
    say(f"{found.id} has ended; what still deviates is asked again by: adzeguard round")
    return Exit.NOTHING_TO_REPORT
