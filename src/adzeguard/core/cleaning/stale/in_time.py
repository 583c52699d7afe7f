"""Leases and waivers that hold on to what is over."""

from collections.abc import Iterator

from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.identity import Sid
from adzeguard.core.time.lease import Lease


def stale_leases(looked: StaleInput) -> Iterator[Stale]:
    """Yield open leases that should have ended, or whose account or group is gone or disabled."""
    for one in looked.leases:
        if not one.is_open:
            continue
        name = f"{one.id}: {one.member} in {one.group}"
        if one.until < looked.now:
            yield Stale("not-ended", "it should have ended: adzeguard round", name, one.until)
        for sort, why in _gone(looked, one):
            yield Stale(sort, why, name, one.begun)


def _gone(looked: StaleInput, lease: Lease) -> Iterator[tuple[str, str]]:
    sids = [Sid(sid) for sid in (lease.member_sid, "" if lease.host else lease.group_sid) if sid]
    ids = looked.estate.ids_of_sids(sids)
    for sid in sids:
        found = ids.get(sid)
        word = lease.member if sid == lease.member_sid else lease.group
        if found is None:
            yield "about-what-is-gone", f"{word} is not in the directory any more"
        elif not looked.estate.principal(found).enabled:
            yield "disabled", f"{word} is disabled"


def stale_waivers(looked: StaleInput) -> Iterator[Stale]:
    """Yield waivers for what is not found any more; without a look at the findings, none."""
    for one in looked.waivers:
        if looked.fingerprints is not None and one.holds(looked.now) and one.fingerprint not in looked.fingerprints:
            name = f"{one.id}: {one.rule or 'a check'}, {one.subject}"
            yield Stale(
                "settled",
                "what it leaves as it is, is not found any more: adzeguard questions waivers end",
                name,
                one.begun,
            )
