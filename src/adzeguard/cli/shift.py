"""adzeguard shift: memberships that recur."""

from dataclasses import replace
from datetime import date, datetime, time
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, why_option, without_approval_option, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import InputError, UsageError


@click.group("shift", cls=CommandGroup, epilog=example("adzeguard shift list"))
def command() -> None:
    """Give memberships by calendar: in the morning, taken back in the evening, not on days off.

    They begin and end by adzeguard round, which cron or a timer runs.
    """


@command.command(
    "add",
    epilog=example(
        "adzeguard shift add roan.pell 'LOWMERE\\Chart Editors' --from 08:00 --to 18:00 --zone Europe/London"
        " --rule 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR'"
    ),
)
@click.argument("person", shell_complete=names())
@click.argument("group", shell_complete=names("group"))
@click.option("--rule", default="FREQ=DAILY", show_default=True, metavar="RRULE", help="By RFC 5545.")
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
    """Let PERSON be in GROUP at the times of a rule. The first round within such a time puts them in.

    It stands in the journal, and can be undone.
    """
    from adzeguard.core.change.by_hand.on_host import local_group
    from adzeguard.core.change.kinds.set_note import SetNote, set_note
    from adzeguard.core.estate.names import resolve, resolve_host
    from adzeguard.core.time.shift import Shift, recurring, zone_of
    from adzeguard.store.shifts import Shifts
    from adzeguard.workspace.notes import note

    workspace = opened(folder)
    try:
        at = zone_of(zone)
        start = _day(first) if first else workspace.now().astimezone(at).date()
        day_begins, day_ends = _time(begins), _time(ends)
        recurring(rule, datetime.combine(start, day_begins))
        off = {day for path in calendars for day in _days_off(path)}
    except InputError as error:
        raise UsageError(error.message) from error
    except ModuleNotFoundError as error:
        raise UsageError("shifts need extra packages", "pip install 'adzeguard[calendar]'") from error
    made: list[Shift] = []

    def begun() -> list[SetNote]:
        member = resolve(workspace.estate, person)
        if host:
            known = resolve_host(workspace.estate, host)
            named = local_group(known, group)
            where, about, about_sid = known.name, named.name, named.sid
        else:
            bearer = resolve(workspace.estate, group)
            where, about, about_sid = "", bearer.qualified_name, str(bearer.sid or "")
        if not (member.sid and about_sid):
            raise UsageError(f"{member.qualified_name} and {about} must both have a SID for a shift")
        table = Shifts(workspace.database)
        shift = Shift(
            table.next_id(),
            member.qualified_name,
            str(member.sid),
            about,
            about_sid,
            where,
            rule,
            start,
            day_begins,
            day_ends,
            zone,
            workspace.operator(),
            why,
            tuple(sorted(off)),
        )
        made.append(shift)
        return [set_note(None, shift, why or "asked for by hand")]

    note(workspace, begun, without_approval)
    say(f"{made[0].id} is noted. It begins and ends by: adzeguard round")
    return Exit.NOTHING_TO_REPORT


def _days_off(path: Path) -> tuple[date, ...]:
    from adzeguard.settings.days_off import days_off_in

    return days_off_in(path)


def _time(text: str) -> time:
    try:
        return datetime.strptime(text, "%H:%M").time()  # noqa: DTZ007 - the time of a clock, in whichever zone
    except ValueError as error:
        raise InputError(f"'{text}' is no time, such as 08:00") from error


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise InputError(f"'{text}' is no day, such as 2026-12-01") from error


@command.command("list", epilog=example("adzeguard shift list"))
@click.option("--all", "everything", is_flag=True, help="Also those that were ended.")
@card_options
@workspace_option
def list_shifts(everything: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Show the coming week of each shift as a picture of hours.

    Keys of json: id, member, group, host, rule, begins, ends, zone, by, why, ended, coming.
    """
    from adzeguard.core.views.shifts import shifts_page
    from adzeguard.store.shifts import Shifts

    workspace = opened(folder)
    shown = [one for one in Shifts(workspace.database).all() if everything or one.ended is None]
    put_view(shifts_page(shown, workspace.now()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("end", epilog=example("adzeguard shift end S1"))
@click.argument("shift")
@workspace_option
def end(shift: str, folder: Path | None) -> int:
    """End a shift for good. What it gives now ends with the next round."""
    from adzeguard.core.change.kinds.set_note import SetNote, set_note
    from adzeguard.store.leases import Leases
    from adzeguard.store.shifts import Shifts
    from adzeguard.workflows.shifts import shift_named
    from adzeguard.workspace.notes import note

    workspace = opened(folder)
    now = workspace.now()
    found = shift_named(Shifts(workspace.database).all(), shift)

    def ended() -> list[SetNote]:
        standing = shift_named(Shifts(workspace.database).all(), shift)
        given = [one for one in Leases(workspace.database).all() if one.shift == standing.id and one.is_open]
        over = [set_note(one, replace(one, until=min(one.until, now)), f"{standing.id} ended") for one in given]
        return [set_note(standing, replace(standing, ended=now), "ended by hand"), *over]

    note(workspace, ended)
    say(f"{found.id} has ended; what it gives now ends with: adzeguard round")
    return Exit.NOTHING_TO_REPORT
