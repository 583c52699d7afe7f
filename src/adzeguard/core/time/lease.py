"""A lease: a membership with an end."""

import re
from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Final, Literal

from adzeguard.core.values import dataclass

State = Literal["starting", "running", "ended"]
OPEN: Final = ("starting", "running")
GIVEN_BACK: Final = "the end of a lease"
"""What stands for a yes of somebody else where a lease ends: it was given with its end."""
LATE_AFTER: Final = timedelta(minutes=5)
"""What ends later than this is told."""


@dataclass(frozen=True, slots=True)
class Lease:
    """Who is in which group of the directory, or local group of a host, until when, by whom and why.

    `starting` stands from before the membership is made until it is known to be: a program that is killed in between
    forgets no end. `stood_before` says that the membership was there without it; then the end takes nothing away.
    """

    id: str
    member: str
    member_sid: str
    group: str
    group_sid: str
    host: str
    begun: datetime
    until: datetime
    by: str
    why: str = ""
    state: State = "running"
    stood_before: bool = False
    extended: int = 0
    ended: datetime | None = None
    shift: str = ""
    """The shift that it is a stretch of."""
    by_itself: bool = False
    """Whether the directory ends it, and a round only where that does not."""
    contract: bool = False
    """Whether it ends with the contract of the member, whenever that is."""

    @property
    def is_open(self) -> bool:
        """Whether it has not ended."""
        return self.state in OPEN

    @property
    def pair(self) -> tuple[str, str, str]:
        """The membership that it is about."""
        return self.host.casefold(), self.group_sid, self.member_sid

    def standing_at(self, now: datetime) -> str:
        """Return its state, for people and programs: one that is over says so before a round has ended it."""
        if not self.is_open:
            return self.state
        if self.until <= now:
            return "over"
        return "ends nothing" if self.stood_before else self.state

    def left(self, now: datetime) -> timedelta:
        """Return how long it still holds; zero if it is over."""
        return max(self.until - now, timedelta()) if self.is_open else timedelta()

    def late(self, now: datetime) -> timedelta:
        """Return how much later than it should it ended, or is still there."""
        end = self.ended if self.ended is not None else now
        return max(end - self.until, timedelta()) if self.is_open or self.ended else timedelta()


ENDS: Final = "the lease {} ended"
"""Why a membership is taken away at the end of a lease; by these words that change is known again."""
_ENDED: Final = re.compile(r"the lease (L\d+) ended\b")


def lease_ended_by(why: str) -> str:
    """Return the lease that a change ended, by why it was made; empty for any other change."""
    found = _ENDED.match(why)
    return found[1] if found else ""


def due(leases: Iterable[Lease], now: datetime) -> list[Lease]:
    """Return those that are to end now, the oldest end first."""
    return sorted((one for one in leases if one.is_open and one.until <= now), key=lambda one: (one.until, one.id))


def takes_away(lease: Lease, leases: Iterable[Lease]) -> bool:
    """Tell whether its end takes the membership away: not what stood before, nor what another open lease gives."""
    return not lease.stood_before and not _others(lease, leases)


def stood_before(lease: Lease, leases: Iterable[Lease], *, inside: bool) -> bool:
    """Tell whether the membership stands without any lease: what one gives does not become lasting by another."""
    return inside and all(one.stood_before for one in _others(lease, leases))


def last_end(lease: Lease, leases: Iterable[Lease]) -> datetime:
    """Return when the last of the open leases that give the membership ends, this one counted."""
    return max([lease.until, *(one.until for one in _others(lease, leases))])


def _others(lease: Lease, leases: Iterable[Lease]) -> list[Lease]:
    return [one for one in leases if one.id != lease.id and one.is_open and one.pair == lease.pair]
