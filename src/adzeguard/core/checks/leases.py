"""Leases that are over and still there, that ended late, or that are extended again and again."""

from collections.abc import Iterator
from datetime import timedelta
from typing import Final

from adzeguard.core.checks.finding import Finding
from adzeguard.core.checks.looked_at import LookedAt
from adzeguard.core.estate.named import Named
from adzeguard.core.time.lease import LATE_AFTER, Lease
from adzeguard.core.wording import age_in_words

_EXTENDED_OFTEN: Final = 3
_LATELY: Final = timedelta(days=30)


def check_leases(looked_at: LookedAt) -> Iterator[Finding]:
    """Yield them; of what has ended only what ended lately."""
    now = looked_at.moment
    for lease in looked_at.leases:
        late = lease.late(now)
        about = f"the lease {lease.id} in {lease.group}, given by {lease.by}"
        if lease.is_open and late > LATE_AFTER:
            yield _of(lease, "lease-overdue", f"{about}, is over for {age_in_words(late)} and has not ended")
        elif lease.ended is not None and late > LATE_AFTER and now - lease.ended < _LATELY:
            yield _of(lease, "lease-ended-late", f"{about}, ended {age_in_words(late)} late")
        if lease.is_open and lease.extended >= _EXTENDED_OFTEN:
            yield _of(lease, "lease-kept-alive", f"{about}, was extended {lease.extended} times")


def _of(lease: Lease, check: str, message: str) -> Finding:
    evidence = {"lease": lease.id, "until": lease.until.isoformat(), "group_sid": lease.group_sid}
    member = Named(lease.member, lease.member_sid)
    return Finding(check, Named(lease.group, lease.group_sid), message, member=member, evidence=evidence)
