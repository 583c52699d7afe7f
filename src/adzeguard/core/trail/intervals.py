"""Who was inside a group from when to when, nested groups followed as they stood at each moment."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime

from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Stretch:
    """Somebody was inside. `begin` is None if it was before all that is known, `end` if it is still so.

    `begun` and `ended` are the events that did it, which may have been done to a group in between.
    """

    begin: datetime | None
    end: datetime | None
    begun: Event | None = None
    ended: Event | None = None


def intervals_of(
    group: str, events: Sequence[Known], members: Mapping[str, AbstractSet[str]], groups: AbstractSet[str]
) -> dict[str, list[Stretch]]:
    """Return the stretches of each person, the oldest first.

    `events` are all about memberships, oldest first; `members` says who is directly inside each group now, after all
    of them, and `groups` which of all those are groups. From now the way leads back, event by event.
    """
    inside: defaultdict[str, set[str]] = defaultdict(set, {one: set(them) for one, them in members.items()})
    all_groups = set(groups) | {known.group for known in events}
    leads_in, ways = _ways(group, inside, all_groups)
    open_: dict[str, tuple[datetime | None, Event | None]] = dict.fromkeys(ways, (None, None))
    found: defaultdict[str, list[Stretch]] = defaultdict(list)
    for known in reversed(events):
        member, was_in, there = known.member, known.event.verb == "removed", inside[known.group]
        if (member in there) == was_in:
            continue
        (there.add if was_in else there.discard)(member)
        if known.group not in leads_in:
            continue
        if member in all_groups:
            leads_in, before = _ways(group, inside, all_groups)
            came, went = ways.keys() - before.keys(), before.keys() - ways.keys()
            ways = before
        else:
            # Reckoned by itself: to gather everybody anew at each event takes as long as events times people.
            came = set() if was_in else _without(ways, member)
            went = _with(ways, member) if was_in else set()
        for person in came:
            end, ended = open_.pop(person)
            found[person].append(Stretch(known.event.at, end, known.event, ended))
        for person in went:
            open_[person] = (known.event.at, known.event)
    for person, (end, ended) in open_.items():
        found[person].append(Stretch(None, end, None, ended))
    return {person: stretches[::-1] for person, stretches in found.items()}


def _ways(
    group: str, inside: Mapping[str, AbstractSet[str]], groups: AbstractSet[str]
) -> tuple[set[str], Counter[str]]:
    """Return the groups that lead into one, and of how many of them each person is a direct member."""
    leads_in = set(_reached(group, inside, groups))
    return leads_in, Counter(one for group in leads_in for one in inside.get(group, ()) if one not in groups)


def _with(ways: Counter[str], person: str) -> set[str]:
    """Count one way more; return the person if it is the first."""
    ways[person] += 1
    return {person} if ways[person] == 1 else set()


def _without(ways: Counter[str], person: str) -> set[str]:
    """Count one way less; return the person if it was the last."""
    ways[person] -= 1
    if ways[person]:
        return set()
    del ways[person]
    return {person}


def _reached(group: str, inside: Mapping[str, AbstractSet[str]], groups: AbstractSet[str]) -> Iterator[str]:
    seen, waiting = {group}, [group]
    for one in waiting:
        yield one
        more = (inside.get(one, frozenset()) & groups) - seen
        waiting += sorted(more)
        seen |= more


def about(
    group: str, events: Sequence[Known], members: Mapping[str, AbstractSet[str]], groups: AbstractSet[str]
) -> list[Known]:
    """Return the events that can matter to a group: about groups that lead into it now, or that an event put there."""
    leads_in = set(_reached(group, members, groups))
    all_groups = groups | {known.group for known in events}
    while True:
        more = {known.member for known in events if known.group in leads_in and known.member not in leads_in}
        more |= {child for one in more for child in _reached(one, members, groups)}
        more = (more & all_groups) - leads_in
        if not more:
            return [known for known in events if known.group in leads_in]
        leads_in |= more
