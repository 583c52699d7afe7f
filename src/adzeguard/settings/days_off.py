"""The days of an iCalendar file, RFC 5545: holidays, or somebody's leave."""

from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any, Final

from adzeguard.core.errors import InputError
from adzeguard.core.time.shift import days_in

_LARGEST: Final = 4 * 1024 * 1024
_MOST_DAYS: Final = 5000


def days_off_in(path: Path) -> tuple[date, ...]:
    """Return every day that an event of the file touches; `InputError` where it cannot be read."""
    from icalendar import Calendar

    try:
        if path.stat().st_size > _LARGEST:
            raise InputError(f"{path} is larger than 4 MiB, which no calendar of days off is")
        calendar: Any = Calendar.from_ical(path.read_bytes())
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}") from error
    except (ValueError, IndexError, KeyError, TypeError) as error:
        raise InputError(f"{path} is no iCalendar file: {str(error)[:120]}") from error
    found: set[date] = set()
    for event in calendar.walk("VEVENT"):
        if "RRULE" in event:
            raise InputError(f"{path}: an event recurs, and days off are named one by one")
        begin, end = (event.decoded(key, None) for key in ("DTSTART", "DTEND"))
        if isinstance(begin, date):
            first = _day(begin)
            last = _day(end) if isinstance(end, date) else first + timedelta(days=1)
            found |= set(days_in(first, last))
        if len(found) > _MOST_DAYS:
            raise InputError(f"{path} names more than {_MOST_DAYS} days")
    return tuple(sorted(found))


def _day(moment: date) -> date:
    return moment.date() if isinstance(moment, datetime) else moment
