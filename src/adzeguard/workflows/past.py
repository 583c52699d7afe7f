"""All that is known of memberships in the past: the trail, else our own journal, else what two collections saw."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import datetime, timedelta
from typing import Final, TypeGuard

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.outcome import MADE
from adzeguard.core.estate.estate import Estate
from adzeguard.core.trail.event import MEMBERSHIP, Event, Verb
from adzeguard.core.trail.history import Known
from adzeguard.store.connection import Database
from adzeguard.store.journal import Journal
from adzeguard.store.membership_past import Seen, changes_seen
from adzeguard.store.trail import Trail
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.journal_rows import change_of

AROUND: Final = timedelta(seconds=30)
"""How far the clocks of the directory and of whoever works here may be apart."""
Pair = tuple[Verb, str, str]


def all_known(
    trail: Trail,
    from_here: Iterable[Known],
    database: Database,
    estate: Estate,
    names: Identities,
    since: datetime | None = None,
) -> list[Known]:
    """Return every event about a membership, each from the source that tells most of it, oldest first.

    With `since` the trail is read from there on alone.
    """
    told = [
        Known(e, names.key(e.group, e.group_sid), names.key(e.member, e.member_sid))
        for e in (trail.since(since, MEMBERSHIP) if since is not None else trail.all(verbs=MEMBERSHIP))
    ]
    known = [*told, *_untold(from_here, told, lambda one, at: abs(one.event.at - at) <= AROUND)]
    seen = list(_of_collections(changes_seen(database), estate))
    known += _untold(seen, known, _between)
    return sorted(known, key=lambda one: one.event.at)


def _between(one: Known, at: datetime) -> bool:
    after = one.event.after
    return after is not None and after - AROUND <= at <= one.event.at + AROUND


def _untold(more: Iterable[Known], told: Iterable[Known], same: Callable[[Known, datetime], bool]) -> Iterator[Known]:
    """Yield what nothing else tells: an event about the same pair, at a time that can be the same."""
    times: defaultdict[Pair, list[datetime]] = defaultdict(list)
    for one in told:
        times[one.event.verb, one.group, one.member].append(one.event.at)
    for one in more:
        if not any(same(one, at) for at in times[one.event.verb, one.group, one.member]):
            yield one


def of_journal(journal: Journal) -> Iterator[Known]:
    """Yield what was done to memberships of the directory from here."""
    intents: dict[tuple[str, str], MembershipChange] = {}
    for row in journal.rows():
        if row.trouble:
            continue
        if row.kind == "intent":
            change = change_of(row)
            if _moves_in_directory(change):
                intents[row.enactment, change.id] = change
        elif row.kind == "outcome" and row.body.get("status") in MADE:
            made = intents.get((row.enactment, str(row.body.get("change"))))
            if made is not None:
                verb: Verb = "removed" if made.removes_member else "added"
                event = Event(
                    datetime.fromisoformat(row.at),
                    verb,
                    by=row.by,
                    group=made.group.name,
                    group_sid=made.group.sid,
                    member=made.member.name,
                    member_sid=made.member.sid,
                    source="journal",
                )
                yield Known(event, made.group.sid, made.member.sid)


def _moves_in_directory(change: Change) -> TypeGuard[MembershipChange]:
    if not isinstance(change, MembershipChange) or change.host_name or not change.moves_somebody:
        return False
    return bool(change.group.sid and change.member.sid)


def _of_collections(seen: Iterable[Seen], estate: Estate) -> Iterator[Known]:
    found = list(seen)
    sids = _sids({i for one in found for i in (one.group, one.member)}, estate)
    for one in found:
        group, member = sids.get(one.group), sids.get(one.member)
        if group and member:
            verb: Verb = "added" if one.added else "removed"
            event = Event(one.at, verb, group_sid=group, member_sid=member, source="collections", after=one.after)
            yield Known(event, group, member)


def _sids(ids: Iterable[int], estate: Estate) -> Mapping[int, str]:
    return {i: str(p.sid) for i, p in estate.catalogue.principals(ids).items() if p.sid}
