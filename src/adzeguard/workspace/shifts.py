"""Memberships that recur by calendar: begun, listed and ended."""

from dataclasses import replace
from datetime import date, datetime, time
from pathlib import Path
from typing import TYPE_CHECKING

from adzeguard.core.change.by_hand.on_host import local_group
from adzeguard.core.change.kinds.set_note import SetNote, set_note
from adzeguard.core.errors import InputError, UsageError
from adzeguard.core.estate.names import resolve, resolve_host
from adzeguard.core.time.recurrence import check_rule
from adzeguard.core.time.shift import Shift, zone_of
from adzeguard.core.values import dataclass
from adzeguard.core.views.page import Page
from adzeguard.core.views.shifts import shifts_page
from adzeguard.store.leases import Leases
from adzeguard.store.shifts import Shifts
from adzeguard.workflows.shifts import shift_named
from adzeguard.workspace.notes import note
from adzeguard.workspace.sealing import say_what_is_odd
from adzeguard.workspace.somebody import somebody

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


@dataclass(frozen=True)
class Asked:
    """Who is to be where at which times: a rule of RFC 5545, by the clock of a zone, from a first day on."""

    person: str
    group: str
    rule: str
    begins: str
    ends: str
    zone: str
    first: str = ""
    calendars: tuple[Path, ...] = ()
    """Files of days off, in iCalendar."""
    host: str = ""
    why: str = ""


def begin(workspace: "Workspace", asked: Asked, without_approval: str = "") -> None:
    """Note a shift; the first round within its time puts the person in. `UsageError` for what cannot be understood."""
    try:
        start, begins, ends, off = _times(workspace, asked)
    except InputError as error:
        raise UsageError(error.message) from error
    except ModuleNotFoundError as error:
        raise UsageError("shifts need extra packages", "pip install 'adzeguard[calendar]'") from error
    made: list[Shift] = []

    def begun() -> list[SetNote]:
        member, where, about, sid = _whom(workspace, asked)
        shifts = Shifts(workspace.database)
        name, by = shifts.next_id(), workspace.operator()
        whom = (name, *member, about, sid, where)
        made.append(Shift(*whom, asked.rule, start, begins, ends, asked.zone, by, asked.why, off))
        same = next((one for one in shifts.all() if one.ended is None and one.gives == made[0].gives), None)
        if same is not None:
            way = f"End it first: adzeguard shift end {same.id}, or give this one another rule or other times"
            raise UsageError(f"{same.id} gives {same.member} the same at the same times already", way)
        return [set_note(None, made[0], asked.why or "asked for by hand")]

    note(workspace, begun, without_approval)
    workspace.frontend.say(f"{made[0].id} is noted. It begins and ends by: adzeguard round")


def end(workspace: "Workspace", name: str, why: str = "") -> None:
    """End a shift for good; what it gives now ends with the next round."""
    now, shifts = workspace.now(), Shifts(workspace.database)
    found = shift_named(shifts.all(), name)

    def ended() -> list[SetNote]:
        standing = shift_named(shifts.all(), name)
        given = [one for one in Leases(workspace.database).all() if one.shift == standing.id and one.is_open]
        over = [set_note(one, replace(one, until=min(one.until, now)), f"{standing.id} ended") for one in given]
        return [set_note(standing, replace(standing, ended=now), why or "ended by hand"), *over]

    note(workspace, ended)
    workspace.frontend.say(f"{found.id} has ended; what it gives now ends with: adzeguard round")


def listed(workspace: "Workspace", *, everything: bool = False) -> Page:
    """Return the coming week of each shift, of those that ended too where everything is asked for."""
    say_what_is_odd(workspace, "shift")
    shown = [one for one in Shifts(workspace.database).all() if everything or one.ended is None]
    return shifts_page(shown, workspace.now())


def _times(workspace: "Workspace", asked: Asked) -> tuple[date, time, time, tuple[date, ...]]:
    from adzeguard.settings.days_off import days_off_in

    at = zone_of(asked.zone)
    start = _day(asked.first) if asked.first else workspace.now().astimezone(at).date()
    begins, ends = _time(asked.begins), _time(asked.ends)
    check_rule(asked.rule, datetime.combine(start, begins))
    return start, begins, ends, tuple(sorted({day for path in asked.calendars for day in days_off_in(path)}))


def _whom(workspace: "Workspace", asked: Asked) -> tuple[tuple[str, str], str, str, str]:
    """Return the member by name and SID, the host, and the group by name and SID."""
    member = somebody(workspace, asked.person, let_in=not asked.host)
    if asked.host:
        known = resolve_host(workspace.estate, asked.host)
        named = local_group(known, asked.group)
        where, about, sid = known.name, named.name, str(named.sid)
    else:
        bearer = resolve(workspace.estate, asked.group)
        where, about, sid = "", bearer.qualified_name, str(bearer.sid or "")
    if not (member.sid and sid):
        raise UsageError(f"{member.qualified_name} and {about} must both have a SID for a shift")
    return (member.qualified_name, str(member.sid)), where, about, sid


def _time(text: str) -> time:
    try:
        return datetime.strptime(text, "%H:%M").time()  # noqa: DTZ007 - the time of a clock, in any zone
    except ValueError as error:
        raise InputError(f"'{text}' is no time, such as 08:00") from error


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise InputError(f"'{text}' is no day, such as 2026-12-01") from error
