"""adzeguard shift: memberships that recur."""

from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, why_option, without_approval_option, workspace_option
from adzeguard.cli.output import put_view


@click.group(
    "shift",
    cls=CommandGroup,
    alone="list",
    instead={"add": "adzeguard shift start PERSON GROUP --from HH:MM --to HH:MM"},
    epilog=example("adzeguard shift list"),
)
def command() -> None:
    """Give memberships by calendar, such as for working hours; alone, list them.

    adzeguard round starts and ends them; run it from cron or a timer.
    """


@command.command(
    "start",
    epilog=example(
        "adzeguard shift start roan.pell 'LOWMERE\\Chart Editors' --from 08:00 --to 18:00 --zone Europe/London"
        " --rule 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR'"
    ),
)
@click.argument("person", shell_complete=names())
@click.argument("group", shell_complete=names("group"))
@click.option(
    "--rule", default="FREQ=DAILY", show_default=True, metavar="RRULE", help="The recurrence rule (RFC 5545)."
)
@click.option("--from", "begins", required=True, metavar="HH:MM", help="When it begins, by the clock of the zone.")
@click.option("--to", "ends", required=True, metavar="HH:MM", help="When it ends; the next day, if not later.")
@click.option("--zone", default="UTC", show_default=True, help="The time zone, such as Europe/London.")
@click.option("--first", default="", metavar="DATE", help="The day from which the rule counts; otherwise today.")
@click.option(
    "--except", "calendars", multiple=True, type=click.Path(path_type=Path), metavar="FILE", help="Days off, iCalendar."
)
@click.option("--on", "host", default="", metavar="HOST", help="GROUP is a local group of this host.")
@why_option
@without_approval_option
@workspace_option
def add(
    person: str,
    group: str,
    rule: str,
    begins: str,
    ends: str,
    zone: str,
    first: str,
    calendars: tuple[Path, ...],
    host: str,
    why: str,
    without_approval: str,
    folder: Path | None,
) -> int:
    """Let PERSON be in GROUP at the times of a calendar rule. The first round within such a time adds them.

    It stands in the journal, and can be undone.
    """
    from adzeguard.workspace.shifts import Asked, begin

    asked = Asked(person, group, rule, begins, ends, zone, first, calendars, host, why)
    begin(opened(folder), asked, without_approval)
    return Exit.NOTHING_TO_REPORT


@command.command("list", epilog=example("adzeguard shift list"))
@click.option("--all", "everything", is_flag=True, help="Also those that were ended.")
@card_options
@workspace_option
def list_shifts(everything: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Show the coming week of each shift as a picture of hours."""
    from adzeguard.workspace.shifts import listed

    put_view(listed(opened(folder), everything=everything), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("end", epilog=example("adzeguard shift end S1"))
@click.argument("shift")
@why_option
@workspace_option
def end(shift: str, why: str, folder: Path | None) -> int:
    """End a shift for good. The next round ends the membership that it gives now."""
    from adzeguard.workspace.shifts import end as ended

    ended(opened(folder), shift, why)
    return Exit.NOTHING_TO_REPORT
