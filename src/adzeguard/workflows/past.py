"""All that is known of memberships in the past: the trail, else our own journal, else what two collections saw."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime, timedelta
from typing import Final, TypeGuard

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.outcome import MADE
from adzeguard.core.estate.estate import Estate
from adzeguard.core.trail.event import MEMBERSHIP, Event, Verb
from adzeguard.core.trail.history import Known
from adzeguard.core.values import dataclass
from adzeguard.store.connection import Database
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.journal import Journal
from adzeguard.store.membership_past import Seen, changes_seen
from adzeguard.store.trail import Trail
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.journal_rows import change_of

AROUND: Final = timedelta(seconds=30)
"""How far the clocks of the directory and of the operator may be apart."""
Pair = tuple[Verb, str, str]


@dataclass(frozen=True, slots=True)
class Past:
    """Where all that is known of the past comes from."""

    estate: Estate
    store: EstateStore
    trail: Trail
    journal: Journal
    database: Database
    collected: datetime
    """Since when the estate does not know what was done: shortly before the last collection of everything began."""


@dataclass(frozen=True, slots=True)
class Elsewhere:
    """What is known of memberships beside the trail: from our own journal, and from collections that differ."""

    from_here: Sequence[Known]
    seen: Sequence[Known]

    @classmethod
    def of(cls, past: Past) -> "Elsewhere":
        """Read it."""
        return cls(list(of_journal(past.journal)), list(_of_collections(changes_seen(past.database), past.estate)))

    def about(self, groups: AbstractSet[str]) -> "Elsewhere":
        """Return what is about some groups alone."""
        return Elsewhere(
            [one for one in self.from_here if one.group in groups], [one for one in self.seen if one.group in groups]
        )


def all_known(
    past: Past,
    elsewhere: Elsewhere,
    names: Identities,
    groups: AbstractSet[str] | None = None,
    since: datetime | None = None,
) -> list[Known]:
    """Return every event about a membership, each from the source that tells most of it, oldest first.

    With `groups`, by what they are known by today, only what was done to their members; with `since` the trail is read
    from there on alone.
    """
    told = list(_of_trail(past.trail, names, groups, since))
    if groups is not None:
        elsewhere = elsewhere.about(groups)
    known = [*told, *_untold(elsewhere.from_here, told, lambda one, at: abs(one.event.at - at) <= AROUND)]
    known += _untold(elsewhere.seen, known, _between)
    return sorted(known, key=lambda one: one.event.at)


def _of_trail(
    trail: Trail, names: Identities, groups: AbstractSet[str] | None, since: datetime | None
) -> Iterator[Known]:
    if groups is None:
        events = trail.since(since, MEMBERSHIP) if since is not None else trail.all(verbs=MEMBERSHIP)
    else:
        changed = trail.groups_changed(since=since)
        names.learn(changed)
        events = trail.memberships([name for name in changed if names.key(*name) in groups], since)
    yield from known_of(events, names)


def known_of(events: Collection[Event], names: Identities) -> Iterator[Known]:
    """Yield events of the trail with what their groups and members are known by today, looked up together."""
    names.learn({(event.group, event.group_sid) for event in events} | {(e.member, e.member_sid) for e in events})
    for event in events:
        yield Known(event, names.key(event.group, event.group_sid), names.key(event.member, event.member_sid))


def _between(one: Known, at: datetime) -> bool:
    after = one.event.after
    return after is not None and after - AROUND <= at <= one.event.at + AROUND


def _untold(more: Iterable[Known], told: Iterable[Known], same: Callable[[Known, datetime], bool]) -> Iterator[Known]:
    """Yield what nothing else tells: an event about the same pair, at a time that can be the same."""
    some = list(more)
    wanted = {(one.event.verb, one.group, one.member) for one in some}
    times: defaultdict[Pair, list[datetime]] = defaultdict(list)
    for one in told:
        pair = one.event.verb, one.group, one.member
        if pair in wanted:
            times[pair].append(one.event.at)
    for one in some:
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
