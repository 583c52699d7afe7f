"""Moments as people type them."""

from datetime import datetime, time, timedelta
from typing import Any

import click

from adzeguard import clock

_WORDS = {"yesterday": -1, "today": 0, "tomorrow": 1}
"""Days from today; each begins at its midnight, as a date does."""
_LONGEST_AGE = 7
"""Six digits and a unit are ages."""
_UNITS = {"m": "minutes", "h": "hours", "d": "days", "w": "weeks"}


class Moment(click.ParamType[datetime]):
    """A date, a date with a time (local unless it says otherwise), "yesterday", or "3d", "2h", "30m", "1w" ago."""

    name = "moment"
    day = "yesterday"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> datetime:
        """Return the moment with its zone."""
        if isinstance(value, datetime):
            return value
        text = str(value).strip()
        try:
            return self.read(text)
        except (ValueError, OverflowError):
            self.fail(f"'{text}' is no moment: write 2026-11-23, 2026-11-23T14:30, {self.day}, 3d or 2h", param, ctx)

    def read(self, text: str) -> datetime:
        """Return the moment that a text means."""
        return _moment(text, -1)


class Coming(Moment):
    """The same of the time to come: "3d" is in three days, and there is "tomorrow"."""

    day = "tomorrow"

    def read(self, text: str) -> datetime:
        """Return the moment; ages count forward."""
        return _moment(text, 1)


def _moment(text: str, direction: int) -> datetime:
    """Return a moment with its zone; one before the year 1 or after 9999 is an error like any other text."""
    now = clock.now().astimezone()
    if text.casefold() in _WORDS:
        # Made of the day and not of the moment: the clocks may be changed in between.
        return datetime.combine(now.date() + timedelta(days=_WORDS[text.casefold()]), time.min).astimezone()
    if text[:-1].isdecimal() and text[-1:] in _UNITS and len(text) <= _LONGEST_AGE:
        return now + direction * timedelta(**{_UNITS[text[-1]]: int(text[:-1])})
    moment = datetime.fromisoformat(text)
    return moment if moment.tzinfo else moment.astimezone()


class Length(click.ParamType[timedelta]):
    """A length of time: 30m, 2h, 3d, 1w."""

    name = "length"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> timedelta:
        """Return it."""
        if isinstance(value, timedelta):
            return value
        text = str(value).strip()
        count = text[:-1]
        if not (
            count.isascii() and count.isdecimal() and text[-1:] in _UNITS and len(text) <= _LONGEST_AGE and int(count)
        ):
            self.fail(f"'{text}' is no length of time: write 30m, 2h, 3d or 1w", param, ctx)
        try:
            return timedelta(**{_UNITS[text[-1]]: int(count)})
        except OverflowError:
            self.fail(f"'{text}' is longer than anybody lives", param, ctx)


MOMENT = Moment()
COMING = Coming()
LENGTH = Length()
