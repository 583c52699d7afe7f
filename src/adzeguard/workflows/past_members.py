"""What checks look at of the past: the trail of the last days, as far as it is about what is privileged."""

from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime, timedelta
from typing import Final

from adzeguard.core.access.accounts_called import Accounts, once
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.trail.audit_coverage import gaps, missing
from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known, history_of
from adzeguard.core.trail.privileged_events import Done, Logon, Seen, Unseen
from adzeguard.workflows.ancestor_groups import leading
from adzeguard.workflows.history import declared_by, nested_now
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.past import AROUND, Elsewhere, Past, all_known

_PLACES: Final = ("builtin", "nt authority", "nt service", "window manager", "font driver host", "iis apppool")
_SETTLING: Final = timedelta(minutes=10)
"""A log may come late: a change that was made just now is not missed yet."""


def seen_lately(
    past: Past,
    privileged: Sequence[Principal],
    since: datetime,
    now: datetime,
    hours: AbstractSet[int] | None,
    offset: timedelta,
) -> Seen:
    """Return it; None if no log was ever read."""
    first, last = past.trail.span()
    if first is None or last is None:
        return Seen()
    elsewhere, names = Elsewhere.of(past), Identities(past.estate, past.store)
    from_here = elsewhere.from_here
    groups = leading([group.sid for group in privileged if group.sid], past, elsewhere, names, since)
    groups = groups | {one.group for one in from_here}
    known = [one for one in all_known(past, elsewhere, names, groups, since) if one.event.at >= since]
    return Seen(
        _done(past, privileged, known, declared_by(from_here), names),
        _logons(past, privileged, since, names),
        unseen(from_here, known, max(first, since), min(last, now - _SETTLING)),
        gaps(past.trail.times(since)),
        missing(past.trail.has),
        since,
        frozenset(hours) if hours is not None else None,
        offset,
    )


def _done(
    past: Past,
    privileged: Sequence[Principal],
    known: Sequence[Known],
    ours: Mapping[tuple[str, str, str], Sequence[datetime]],
    names: Identities,
) -> list[Done]:
    found: dict[tuple[datetime, str, str, str], Done] = {}
    for group in privileged:
        if group.sid is None:
            continue
        for entry in history_of(group.sid, known, nested_now(past, group, known)):
            one, event = entry.known, entry.known.event
            # Who gets into several privileged groups at once is told once, in the most powerful.
            found.setdefault(
                (event.at, event.verb, one.group, one.member),
                Done(
                    event.at,
                    event.verb,
                    group.qualified_name,
                    names.shown(one.group, event.group),
                    one.group if "=" not in one.group else "",
                    names.shown(one.member, event.member),
                    one.member if "=" not in one.member else "",
                    names.shown(event.by_sid, event.by) if event.by_sid else event.by,
                    event.by_sid,
                    event.origin,
                    _is_ours(one, ours),
                    entry.undone_after,
                ),
            )
    return sorted(found.values(), key=lambda one: one.at, reverse=True)


def _is_ours(one: Known, ours: Mapping[tuple[str, str, str], Sequence[datetime]]) -> bool:
    return any(abs(at - one.event.at) <= AROUND for at in ours.get((one.event.verb, one.group, one.member), ()))


def _logons(past: Past, privileged: Sequence[Principal], since: datetime, names: Identities) -> list[Logon]:
    found = logons_of(past, people_in(past, privileged).values(), since)
    names.look_up({sid for sid, _ in found})
    return [
        Logon(
            event.at,
            names.shown(key, event.member),
            key,
            event.group,
            event.origin,
            event.verb == "refused",
            event.claimed,
            event.way,
        )
        for key, event in found
    ]


def logons_of(past: Past, accounts: Iterable[Principal], since: datetime) -> list[tuple[str, Event]]:
    """Return the logons and refused tries of some accounts, by their SIDs, oldest first."""
    wanted = Accounts(accounts, past.estate.domain, lambda place: _has_accounts(past.estate, place))
    events = past.trail.logons(wanted.sids, since)
    return once((sid, event) for event in events if (sid := wanted.meant(event)))


def _has_accounts(estate: Estate, place: str) -> bool:
    found = estate.catalogue.principals(estate.catalogue.by_name(place)).values()
    return place in _PLACES or any(one.kind in (Kind.COMPUTER, Kind.TRUST) for one in found)


def people_in(past: Past, groups: Sequence[Principal]) -> dict[str, Principal]:
    """Return everybody who is in one of these groups, however deeply nested, by their SIDs."""
    ids = {int(i) for group in groups for i in past.estate.graph.expand(group.id).people}
    return {str(one.sid): one for one in past.estate.catalogue.principals(ids).values() if one.sid}


def unseen(from_here: Sequence[Known], known: Sequence[Known], first: datetime, last: datetime) -> list[Unseen]:
    """Return what our journal did, while something was logged before and after it, and nothing of it was."""
    told: dict[tuple[str, str, str], list[datetime]] = {}
    for one in known:
        if one.event.source == "trail":
            told.setdefault((one.event.verb, one.group, one.member), []).append(one.event.at)
    return [
        Unseen(
            one.event.at,
            f"{one.event.verb} {one.event.member} {'to' if one.event.verb == 'added' else 'from'} {one.event.group}",
            one.event.group,
            one.group,
        )
        for one in from_here
        if first <= one.event.at <= last
        and not any(abs(at - one.event.at) <= AROUND for at in told.get((one.event.verb, one.group, one.member), ()))
    ]
