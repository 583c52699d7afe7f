"""Who was inside a group from when to when, nested groups followed as they stood at each moment."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from datetime import datetime

from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known


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
    people = _people(group, inside, all_groups)
    open_: dict[str, tuple[datetime | None, Event | None]] = dict.fromkeys(people, (None, None))
    found: defaultdict[str, list[Stretch]] = defaultdict(list)
    for known in reversed(events):
        if known.event.verb == "added":
            inside[known.group].discard(known.member)
        else:
            inside[known.group].add(known.member)
        before = _people(group, inside, all_groups)
        for person in people - before:
            end, ended = open_.pop(person)
            found[person].append(Stretch(known.event.at, end, known.event, ended))
        for person in before - people:
            open_[person] = (known.event.at, known.event)
        people = before
    for person, (end, ended) in open_.items():
        found[person].append(Stretch(None, end, None, ended))
    return {person: stretches[::-1] for person, stretches in found.items()}


def _people(group: str, inside: Mapping[str, AbstractSet[str]], groups: AbstractSet[str]) -> set[str]:
    return {one for member in _reached(group, inside, groups) for one in inside.get(member, ()) if one not in groups}


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
    while True:
        more = {known.member for known in events if known.group in leads_in and known.member not in leads_in}
        more |= {child for one in more for child in _reached(one, members, groups)}
        more = {one for one in more if one in groups or any(known.group == one for known in events)} - leads_in
        if not more:
            return [known for known in events if known.group in leads_in]
        leads_in |= more
