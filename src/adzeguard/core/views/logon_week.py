"""The hours at which an account may log on, drawn as a week."""

from datetime import timedelta, timezone
from typing import Final

from adzeguard.core.errors import InputError
from adzeguard.core.estate.logon_hours import DAYS, from_utc, hours_of
from adzeguard.core.estate.logon_limits import hours_value
from adzeguard.core.estate.principal import Principal
from adzeguard.core.views.page import Lines

_DAY: Final = 24
_EVERY: Final = 6


def logon_week(account: Principal, offset: timedelta) -> list[Lines]:
    """Return a line a day with a mark an hour, in the time zone that is so far from UTC; none if all are let."""
    value = hours_value(account)
    if not value:
        return []
    try:
        hours = from_utc(hours_of(value), offset)
    except InputError as error:
        return [Lines([error.message], "Logon hours", indent=2)]
    head = "     " + "".join(f"{hour:<{_EVERY}}" for hour in range(0, _DAY, _EVERY)).rstrip()
    rows = [
        f"{name}  " + "".join("█" if day * _DAY + hour in hours else "·" for hour in range(_DAY))
        for day, name in enumerate(DAYS)
    ]
    return [Lines([head, *rows], f"Logon hours, {timezone(offset).tzname(None)}", indent=2)]
