"""When a contract ends, by what an attribute of the person's account says."""

import re
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from typing import Final

from adzeguard.core.errors import InputError
from adzeguard.core.file_time import moment_of_steps

_STEPS: Final = re.compile(r"\d{16,19}|0")
_STAMP: Final = re.compile(r"(\d{14})(?:[.,]\d{1,9})?Z")
_DAY: Final = re.compile(r"(\d{4})-?(\d\d)-?(\d\d)")
_SHOWN: Final = 40


def end_of_contract(value: str, zone: tzinfo | None) -> datetime | None:
    """Return the moment at which it ends; None if it has no end. `InputError` for what is no such moment.

    Read are steps of 100 nanoseconds since 1601, as accountExpires has them ([MS-ADTS] 2.2.13; 0 and the largest number
    are no end), a moment in UTC (RFC 4517 section 3.3.13), and a last day (2026-12-31 or 20261231), which ends with its
    midnight in `zone`, or in the time of the machine where that is nothing.
    """
    text = value.strip()
    try:
        if _STEPS.fullmatch(text):
            return moment_of_steps(int(text))
        if stamp := _STAMP.fullmatch(text):
            return datetime.strptime(stamp[1], "%Y%m%d%H%M%S").replace(tzinfo=UTC)
        if day := _DAY.fullmatch(text):
            last = date(*map(int, day.groups()))
            after = datetime.combine(last + timedelta(days=1), time.min, zone)
            return after.astimezone(UTC)
    except (ValueError, OverflowError) as error:
        raise InputError(f"'{text[:_SHOWN]}' is no date") from error
    if text:
        raise InputError(f"'{text[:_SHOWN]}' is no date")
    return None
