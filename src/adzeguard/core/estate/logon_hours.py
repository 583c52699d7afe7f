"""The hours of a week in which an account may log on ([MS-SAMR] 2.2.6.5).

The directory holds a bit for each hour, 21 bytes, from Sunday 00:00 in UTC; what has none may log on at any hour.
"""

import re
from collections.abc import Iterable, Sequence
from datetime import timedelta
from typing import Final

from adzeguard.core.errors import InputError

DAYS: Final = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_DAY: Final = 24
_WEEK: Final = 7 * _DAY
_BYTES: Final = _WEEK // 8
_SUNDAY: Final = 6
_TIMES: Final = re.compile(r"(?P<days>[A-Za-z, -]+) +(?P<begin>\d\d?):00 *- *(?P<end>\d\d?):00")
_EXAMPLE: Final = "Mon-Fri 07:00-19:00"

Hours = frozenset[int]
"""Hours of a week, from 0 for Monday 00:00 to 167, in the time zone that is spoken of."""
ALWAYS: Final[Hours] = frozenset(range(_WEEK))


def hours_of(value: bytes) -> Hours:
    """Return the hours in UTC that the directory's value lets; `InputError` for one of another length."""
    if len(value) != _BYTES:
        raise InputError(f"logon hours take {_BYTES} bytes, and here are {len(value)}")
    from_sunday = (hour for hour in range(_WEEK) if value[hour // 8] >> (hour % 8) & 1)
    return frozenset((hour - _DAY) % _WEEK for hour in from_sunday)


def value_of(hours: Hours) -> bytes:
    """Return the directory's value for hours in UTC."""
    packed = bytearray(_BYTES)
    for hour in hours:
        from_sunday = (hour + _DAY) % _WEEK
        packed[from_sunday // 8] |= 1 << (from_sunday % 8)
    return bytes(packed)


def to_utc(hours: Hours, offset: timedelta) -> Hours:
    """Return hours of a time zone in UTC; where they do not begin with an hour there, each one touched is let."""
    minutes = int(offset.total_seconds() // 60)
    touched = ((hour * 60 - minutes, hour * 60 - minutes + 59) for hour in hours)
    return frozenset(at // 60 % _WEEK for ends in touched for at in ends)


def from_utc(hours: Hours, offset: timedelta) -> Hours:
    """Return hours of UTC in a time zone."""
    return to_utc(hours, -offset)


def read_times(texts: Iterable[str]) -> Hours:
    """Return the hours that texts like "Mon-Fri 07:00-19:00" let; past midnight where the end is not after the begin.

    `InputError` says which text is none.
    """
    return frozenset(hour for text in texts for hour in _read(text))


def _read(text: str) -> list[int]:
    match = _TIMES.fullmatch(text.strip())
    if match is None:
        raise InputError(f"'{text}' is no time of a week with whole hours, such as {_EXAMPLE}")
    begin, end = int(match["begin"]), int(match["end"])
    if begin >= _DAY or end > _DAY:
        raise InputError(f"'{text}' has an hour that no day has; write it like {_EXAMPLE}")
    length = (end - begin) % _DAY or _DAY
    return [(day * _DAY + begin + at) % _WEEK for day in _days(match["days"], text) for at in range(length)]


def _days(words: str, text: str) -> list[int]:
    found: list[int] = []
    for part in words.split(","):
        ends = [_day(word, text) for word in part.split("-")]
        last = ends[-1]
        found += [day % 7 for day in range(ends[0], (last if last >= ends[0] else last + 7) + 1)]
    return found


def _day(word: str, text: str) -> int:
    short = word.strip().title()
    if short not in DAYS:
        raise InputError(f"'{text}' has no day of the week called '{word.strip()}'; they are {', '.join(DAYS)}")
    return DAYS.index(short)


def in_words(hours: Hours) -> list[str]:
    """Return hours as people write them, days with the same hours together."""
    if hours >= ALWAYS:
        return ["always"]
    by_day = [_ranges(sorted(hour - day * _DAY for hour in hours if hour // _DAY == day)) for day in range(7)]
    lines: list[str] = []
    day = 0
    while day < len(DAYS):
        last = day
        while last < _SUNDAY and by_day[last + 1] == by_day[day]:
            last += 1
        name = DAYS[day] if last == day else f"{DAYS[day]}-{DAYS[last]}"
        lines += [f"{name} {', '.join(by_day[day])}"] if by_day[day] else []
        day = last + 1
    return lines or ["never"]


def hours_in_words(value: bytes, offset: timedelta) -> str:
    """Return the directory's value in the words of a time zone; one that cannot be read says so."""
    try:
        return ", ".join(in_words(from_utc(hours_of(value), offset)))
    except InputError as error:
        return error.message


def _ranges(hours: Sequence[int]) -> list[str]:
    ranges: list[list[int]] = []
    for hour in hours:
        if ranges and ranges[-1][1] == hour:
            ranges[-1][1] = hour + 1
        else:
            ranges.append([hour, hour + 1])
    return [f"{begin:02}:00-{end:02}:00" for begin, end in ranges]
