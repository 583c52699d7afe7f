"""What a lease gives is decided on, until it ends: a list that does not name it is no reason to take it out before."""

from collections.abc import Collection, Iterable, Iterator

from adzeguard.core.review.correction import Correction
from adzeguard.core.time.lease import Lease

_UNLISTED = "unlisted-member"


def less_leased(corrections: Iterable[Correction], leases: Iterable[Lease]) -> Iterator[Correction]:
    """Yield all but the members whom a rule does not list and an open lease gives. Who is excluded, is excluded."""
    leased: Collection[tuple[str, str, str]] = {lease.pair for lease in leases if lease.is_open}
    for one in corrections:
        host = one.host.name.casefold() if one.host is not None else ""
        member = one.member.sid if one.member is not None else ""
        if one.check != _UNLISTED or (host, one.subject.sid, member) not in leased:
            yield one
