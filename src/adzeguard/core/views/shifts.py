"""Shifts, with the coming week as a picture of hours."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Any

from adzeguard.core.time.shift import Shift, now_working, stretches, week_of, why_unusable, zone_of
from adzeguard.core.views.page import Lines, Page

_DAYS = 7
_EVERY = 6


def shifts_page(shifts: Iterable[Shift], now: datetime) -> Page:
    """Return each shift with the seven days that begin today, by the clock of its zone."""
    found = [(one, why_unusable(one, now)) for one in shifts]
    sections = [
        Lines([f"Nobody works it: {why}"] if why else _week(one, now), _title(one, now, why), indent=2)
        for one, why in found
    ]
    return Page([_data(one, now, why) for one, why in found], sections or [Lines(["Nobody works a shift."])])


def _title(shift: Shift, now: datetime, unusable: str) -> str:
    where = f" on {shift.host}" if shift.host and not shift.group.startswith(f"{shift.host}\\") else ""
    times = f"{shift.begins:%H:%M}-{shift.ends:%H:%M} {shift.zone}"
    working = ", at work now" if not unusable and now_working(shift, now) else ""
    return f"{shift.id}  {shift.member} in {shift.group}{where}, {times}{working}"


def _week(shift: Shift, now: datetime) -> list[str]:
    today = now.astimezone(zone_of(shift.zone)).date()
    head = " " * 12 + "".join(f"{hour:<{_EVERY}}" for hour in range(0, 24, _EVERY)).rstrip()
    rows = [
        f"{today + timedelta(days=day):%a %d %b}  " + "".join("█" if worked else "·" for worked in hours)
        for day, hours in enumerate(week_of(shift, now))
    ]
    return [head, *rows]


def _data(shift: Shift, now: datetime, unusable: str) -> dict[str, Any]:
    in_a_week = now + timedelta(days=_DAYS)
    coming = list(stretches(shift, now, in_a_week)) if shift.ended is None and not unusable else []
    return {
        "id": shift.id,
        "member": shift.member,
        "member_sid": shift.member_sid,
        "group": shift.group,
        "group_sid": shift.group_sid,
        "host": shift.host,
        "rule": shift.rule,
        "begins": f"{shift.begins:%H:%M}",
        "ends": f"{shift.ends:%H:%M}",
        "zone": shift.zone,
        "by": shift.by,
        "why": shift.why,
        "ended_at": shift.ended,
        "unusable": unusable,
        "coming": [{"begins_at": one.begin, "ends_at": one.end} for one in coming],
    }
