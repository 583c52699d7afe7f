"""Moments as people type them."""

from datetime import datetime, timedelta
from typing import Any

import click

_WORDS = {"today": 0, "yesterday": 1}
_UNITS = {"m": "minutes", "h": "hours", "d": "days", "w": "weeks"}


class Moment(click.ParamType[datetime]):
    """A date, a date with a time (local unless it says otherwise), "yesterday", or "3d", "2h", "30m", "1w" ago."""

    name = "moment"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> datetime:
        """Return the moment with its zone."""
        if isinstance(value, datetime):
            return value
        text = str(value).strip()
        now = datetime.now().astimezone()
        if text in _WORDS:
            return (now - timedelta(days=_WORDS[text])).replace(hour=0, minute=0, second=0, microsecond=0)
        if text[:-1].isdecimal() and text[-1:] in _UNITS and len(text) <= 7:  # noqa: PLR2004 - six digits are ages
            return now - timedelta(**{_UNITS[text[-1]]: int(text[:-1])})
        try:
            moment = datetime.fromisoformat(text)
        except ValueError:
            self.fail(f"'{text}' is no moment: write 2026-11-23, 2026-11-23T14:30, yesterday, 3d or 2h", param, ctx)
        return moment if moment.tzinfo else moment.astimezone()


MOMENT = Moment()
