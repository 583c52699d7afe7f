"""Rules of recurrence by days, RFC 5545 section 3.3.10: what one may say, and the starts that it comes to."""

import re
from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta
from itertools import islice
from typing import Final

from adzeguard.core.errors import InputError

_LONGEST_RULE: Final = 500
_EXAMPLE: Final = "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR"
_OFTEN: Final = ("SECONDLY", "MINUTELY", "HOURLY")
_DAY: Final = "(?:MO|TU|WE|TH|FR|SA|SU)"
# What stands behind each word. Two times in one day would be two begins of one stretch: an hour stands alone.
_FORMS: Final[Mapping[str, str]] = {
    "FREQ": "DAILY|WEEKLY|MONTHLY|YEARLY",
    "UNTIL": r"\d{8}(?:T\d{6})?",
    "COUNT": r"[1-9]\d{0,4}",
    "INTERVAL": r"[1-9]\d{0,2}",
    "BYDAY": rf"(?:[+-]?\d{{1,2}})?{_DAY}(?:,(?:[+-]?\d{{1,2}})?{_DAY})*",
    "WKST": _DAY,
    "BYHOUR": r"\d{1,2}",
    "BYMINUTE": r"\d{1,2}",
    "BYSECOND": r"\d{1,2}",
} | dict.fromkeys(("BYMONTH", "BYMONTHDAY", "BYYEARDAY", "BYWEEKNO", "BYSETPOS"), r"[+-]?\d{1,3}(?:,[+-]?\d{1,3})*")
_HIGHEST: Final[Mapping[str, int]] = {
    "BYMONTH": 12,
    "BYMONTHDAY": 31,
    "BYYEARDAY": 366,
    "BYWEEKNO": 53,
    "BYSETPOS": 366,
    "BYDAY": 53,
}
_LATEST: Final[Mapping[str, int]] = {"BYHOUR": 23, "BYMINUTE": 59, "BYSECOND": 59}
# "MUST NOT be specified" with these, by the same section; BYSETPOS picks from several, and a day is one.
_NOT_WITH: Final[Mapping[str, tuple[str, ...]]] = {
    "BYWEEKNO": ("DAILY", "WEEKLY", "MONTHLY"),
    "BYYEARDAY": ("DAILY", "WEEKLY", "MONTHLY"),
    "BYMONTHDAY": ("WEEKLY",),
    "BYSETPOS": ("DAILY",),
}
_FOREVER: Final = datetime.max.replace(microsecond=0)  # noqa: DTZ901 - the clock on a wall has no zone
_LENGTHS: Final = (31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31)


def check_rule(rule: str, begin: datetime) -> None:
    """Raise `InputError` for what is no rule, recurs more often than by the day, or never comes after `begin`."""
    if next(starts(rule, begin, begin, _FOREVER), None) is None:
        raise InputError(f"'{rule[:80]}' never comes: it comes to no day after {begin:%Y-%m-%d}")


def starts(rule: str, begin: datetime, after: datetime, before: datetime) -> Iterator[datetime]:
    """Yield the starts from `after` to `before`, by the clock on the wall; `begin` is where the rule counts from.

    An UNTIL that is a day includes it. `InputError` as `check_rule`, but for what never comes, which yields nothing.
    """
    from dateutil.rrule import rrulestr

    parts = _parts(rule)
    count = int(parts.pop("COUNT", "0"))
    until = min(before, _until(rule, parts.pop("UNTIL", "")))
    words = [f"{key}={value}" for key, value in parts.items()]
    try:
        # The library looks at its end only where a day was found, and takes none beside COUNT.
        found = rrulestr(";".join([*words, f"UNTIL={_written(until)}"]), dtstart=begin)
        yield from (one for one in islice(found, count or None) if one >= after)
    except (ValueError, TypeError, KeyError, OverflowError) as error:
        raise _no_rule(rule) from error


def _parts(rule: str) -> dict[str, str]:
    text = rule.strip().upper().removeprefix("RRULE:")
    if len(text) > _LONGEST_RULE or not text.startswith("FREQ="):
        raise _no_rule(rule)
    parts: dict[str, str] = {}
    for part in text.split(";"):
        key, _, value = part.partition("=")
        if key == "FREQ" and value in _OFTEN:
            raise InputError(f"'{rule[:80]}' recurs more often than by the day; write it like {_EXAMPLE}")
        if key in parts or key not in _FORMS or re.fullmatch(_FORMS[key], value, re.ASCII) is None:
            raise _no_rule(rule, part)
        numbers = [int(number) for number in re.findall(r"[+-]?\d+", value)] if key not in ("UNTIL", "COUNT") else []
        if any(not 1 <= abs(number) <= _HIGHEST[key] for number in numbers if key in _HIGHEST):
            raise _no_rule(rule, part)
        if any(number > _LATEST[key] for number in numbers if key in _LATEST) or (key == "BYMONTH" and "-" in value):
            raise _no_rule(rule, part)
        if parts.get("FREQ") in _NOT_WITH.get(key, ()) or (numbers and key == "BYDAY" and not _may_count(parts)):
            raise _no_rule(rule, part)
        parts[key] = value
    if {"UNTIL", "COUNT"} <= parts.keys() or not _some_month_has_it(parts):
        raise _no_rule(rule)
    return parts


def _may_count(parts: Mapping[str, str]) -> bool:
    """Tell whether "the second Monday" means anything: of a month or a year."""
    return parts["FREQ"] in ("MONTHLY", "YEARLY")


def _some_month_has_it(parts: Mapping[str, str]) -> bool:
    """Tell whether a day of the month is one of any of its months: a 30th of February is looked for until 9999."""
    if "BYMONTHDAY" not in parts:
        return True
    months = [int(one) for one in parts["BYMONTH"].split(",")] if "BYMONTH" in parts else range(1, 13)
    longest = max(_LENGTHS[month - 1] for month in months)
    return any(abs(int(day)) <= longest for day in parts["BYMONTHDAY"].split(","))


def _until(rule: str, text: str) -> datetime:
    if not text:
        return _FOREVER
    try:
        until = datetime.fromisoformat(text)
    except ValueError as error:
        raise _no_rule(rule, f"UNTIL={text}") from error
    return until if "T" in text else until + timedelta(hours=23, minutes=59, seconds=59)


def _written(moment: datetime) -> str:
    return moment.isoformat(timespec="seconds").replace("-", "").replace(":", "")


def _no_rule(rule: str, part: str = "") -> InputError:
    what = f": {part[:40]}" if part else ""
    return InputError(f"'{rule[:80]}' is no rule of recurrence{what}; one is written like {_EXAMPLE}")
