"""Shifts: which of them begin now, as leases until their end."""

from collections.abc import Iterable, Iterator
from datetime import datetime

from adzeguard.core.errors import UnknownNameError
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.shift import Shift, now_working
from adzeguard.core.wording import did_you_mean


def beginning(shifts: Iterable[Shift], leases: Iterable[Lease], now: datetime) -> Iterator[Lease]:
    """Yield a lease for each shift that is worked now and has none of this stretch, running or ended by somebody."""
    begun = {(one.shift, one.until) for one in leases if one.shift}
    for shift in shifts:
        stretch = now_working(shift, now)
        if stretch is not None and (shift.id, stretch.end) not in begun:
            why = f"shift {shift.id}{f': {shift.why}' if shift.why else ''}"
            yield Lease(
                "",
                shift.member,
                shift.member_sid,
                shift.group,
                shift.group_sid,
                shift.host,
                now,
                stretch.end,
                shift.by,
                why,
                shift=shift.id,
            )


def shift_named(shifts: Iterable[Shift], name: str) -> Shift:
    """Return a shift that has not ended by its id; `UnknownNameError` where there is none."""
    known = {one.id.casefold(): one for one in shifts if one.ended is None}
    found = known.get(name.casefold())
    if found is None:
        near = did_you_mean(name, [one.id for one in known.values()])
        raise UnknownNameError(f"no shift is called '{name}'{near}", "See: adzeguard shift list")
    return found
