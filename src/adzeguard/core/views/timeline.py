"""The timeline of a group: who was inside when, as lines of a terminal and as plain values."""

from collections.abc import Sequence
from dataclasses import field
from datetime import datetime, timedelta
from typing import Any, Final

from adzeguard.core.trail.audit_coverage import Gap
from adzeguard.core.values import dataclass
from adzeguard.core.views.page import Lines, Page, Section
from adzeguard.core.wording import length_in_words, when

_WIDTH: Final = 60
_EVERY: Final = 15
_NAME: Final = 24
_SHOWN: Final = 30
"""Beginnings and ends that are told below; all of them are in history."""
_INSIDE, _LEASED, _OUTSIDE, _UNKNOWN = "█", "▒", "·", "?"


@dataclass(frozen=True, slots=True)
class Inside:
    """A stretch of somebody, with who began and ended it by their names of today, and the lease that it was."""

    begin: datetime | None
    end: datetime | None
    by: str = ""
    ended_by: str = ""
    lease: str = ""


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that was decided about somebody at a moment."""

    at: datetime
    member: str
    words: str


@dataclass(frozen=True)
class Timeline:
    """Of a group, from a moment to another: everybody's stretches by name, what was decided, and where no log is."""

    group: str
    since: datetime
    until: datetime
    people: dict[str, list[Inside]] = field(default_factory=dict)
    sids: dict[str, str] = field(default_factory=dict)
    marks: Sequence[Mark] = ()
    gaps: Sequence[Gap] = ()
    group_sid: str = ""


def timeline_page(line: Timeline) -> Page:
    """Return a line of time for each person, and below it who did what."""
    if not line.people:
        return Page(_data(line), [Lines(["Nobody was inside in that time."], f"{line.group}: who was inside when")])
    cell = (line.until - line.since) / _WIDTH
    marks = "".join(f"{line.since + cell * place:%d %b}".ljust(_EVERY) for place in range(0, _WIDTH, _EVERY)).rstrip()
    rows = [f"{_short(name):<{_NAME}}  {_bar(line, stretches, cell)}" for name, stretches in line.people.items()]
    legend = f"{_INSIDE} inside, {_LEASED} by a lease, {_OUTSIDE} not inside, {_UNKNOWN} nothing was logged"
    width = length_in_words(cell)
    sections: list[Section] = [
        Lines([" " * (_NAME + 2) + marks, *rows, "", f"{legend}; one sign is {width}"], _title(line)),
    ]
    told = _told(line)
    more = [f"and {len(told) - _SHOWN} earlier: adzeguard history"] if len(told) > _SHOWN else []
    sections.append(Lines([*told[:_SHOWN], *more], "What was done", 2))
    return Page(_data(line), sections)


def _title(line: Timeline) -> str:
    return f"{line.group}: who was inside, {line.since.astimezone():%Y-%m-%d} to {line.until.astimezone():%Y-%m-%d}"


def _short(name: str) -> str:
    name = name.rpartition("\\")[2]
    return name if len(name) <= _NAME else f"{name[: _NAME // 2]}…{name[-(_NAME - _NAME // 2 - 1) :]}"


def _bar(line: Timeline, stretches: Sequence[Inside], cell: timedelta) -> str:
    """Return one sign for each part of the time: even a minute inside makes its sign full."""
    signs = []
    for place in range(_WIDTH):
        begin, end = line.since + cell * place, line.since + cell * (place + 1)
        here = [one for one in stretches if (one.begin or begin) < end and (one.end is None or one.end > begin)]
        if here:
            signs.append(_LEASED if all(one.lease for one in here) else _INSIDE)
        else:
            silent = any(gap.begin <= begin and end <= gap.end for gap in line.gaps)
            signs.append(_UNKNOWN if silent else _OUTSIDE)
    return "".join(signs)


def _told(line: Timeline) -> list[str]:
    """Return beginnings, ends and decisions since then, newest first."""
    told: list[tuple[datetime, str]] = []
    for name, stretches in line.people.items():
        for one in stretches:
            if one.begin is not None and one.begin >= line.since:
                lease = f", lease {one.lease}" if one.lease else ""
                told.append((one.begin, f"{name} came in{_by(one.by)}{lease}"))
            if one.end is not None:
                held = f" after {length_in_words(one.end - one.begin)}" if one.begin is not None else ""
                told.append((one.end, f"{name} went out{held}{_by(one.ended_by)}"))
    told += [(mark.at, f"{mark.member}: {mark.words}") for mark in line.marks]
    return [f"{when(at)}  {words}" for at, words in sorted(told, reverse=True)]


def _by(name: str) -> str:
    return f", by {name}" if name else ""


def _data(line: Timeline) -> dict[str, Any]:
    return {
        "group": line.group,
        "group_sid": line.group_sid,
        "since_at": line.since,
        "until_at": line.until,
        "members": [
            {
                "member": name,
                "member_sid": line.sids[name],
                "stretches": [
                    {
                        "begins_at": one.begin,
                        "ends_at": one.end,
                        "by": one.by,
                        "ended_by": one.ended_by,
                        "lease": one.lease,
                    }
                    for one in stretches
                ],
            }
            for name, stretches in line.people.items()
        ],
        "decided": [
            {
                "decided_at": mark.at,
                "member": mark.member,
                "member_sid": line.sids.get(mark.member, ""),
                "what": mark.words,
            }
            for mark in line.marks
        ],
        "gaps": [{"begins_at": gap.begin, "ends_at": gap.end} for gap in line.gaps],
    }
