"""Who was put into a group and taken out, by whom and when, nested groups followed as they stood at the time."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime, timedelta

from adzeguard.core.trail.event import Event
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Known:
    """An event about a membership, with its group and its member by what they are known by today."""

    event: Event
    group: str
    member: str


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of a history. `path` are the groups between the one asked about and the one that was changed.

    `undone_after` is how long it was until the opposite was done; None if it was not.
    """

    known: Known
    path: Sequence[str] = ()
    nested: bool = False
    """Whether it was done to a group that led into the one asked about, and not to that one itself."""
    undone_after: timedelta | None = None
    latest: Event | None = None
    """The last event about the same group and member."""


class _WhatCameAfter:
    """What was done later with each group and member, while events are walked from the newest back."""

    def __init__(self) -> None:
        self._later: dict[tuple[str, str], tuple[Event, Event, datetime | None]] = {}

    def entry(self, known: Known, path: Sequence[str] = (), *, nested: bool = False) -> Entry:
        """Return the line of the next older event."""
        event, pair = known.event, (known.group, known.member)
        latest, undone = event, None
        if pair in self._later:
            latest, after, undone = self._later[pair]
            undone = undone if after.verb == event.verb else after.at
        self._later[pair] = latest, event, undone
        return Entry(known, path, nested, undone - event.at if undone is not None else None, latest)


def carried_on(
    inside: Mapping[str, AbstractSet[str]], events: Sequence[Known], since: datetime
) -> dict[str, AbstractSet[str]]:
    """Return who is inside each group after the events since a collection began, which it knows nothing of.

    `events` are oldest first. What the collection saw of them already changes nothing a second time.
    """
    now: dict[str, set[str]] = {group: set(members) for group, members in inside.items()}
    for known in events:
        if known.event.at >= since:
            members = now.setdefault(known.group, set())
            (members.add if known.event.verb == "added" else members.discard)(known.member)
    return dict(now)


def history_of(group: str, events: Sequence[Known], nested: Mapping[str, AbstractSet[str]]) -> list[Entry]:
    """Return the events that changed who is inside a group, newest first.

    `events` are all about memberships, oldest first; `nested` says of each group which groups are directly inside it
    now, after all of them. From there the way leads back: before a group was put in, what was done to it was no matter
    here, and before it was taken out, it was.
    """
    inside = {parent: set(children) for parent, children in nested.items()}
    groups = set(inside) | {known.group for known in events}
    paths = _paths(group, inside)
    after = _WhatCameAfter()
    entries: list[Entry] = []
    for known in reversed(events):
        entry = after.entry(known, paths.get(known.group, ()), nested=known.group != group)
        if known.group in paths:
            entries.append(entry)
        if known.member in groups:
            children = inside.setdefault(known.group, set())
            if known.event.verb == "added":
                children.discard(known.member)
            else:
                children.add(known.member)
            if known.group in paths:
                paths = _paths(group, inside)
    return entries


def direct_history(newest_first: Iterable[Known]) -> Iterator[Entry]:
    """Yield each event, newest first, as what was done to its own group."""
    return map(_WhatCameAfter().entry, newest_first)


def _paths(group: str, inside: Mapping[str, AbstractSet[str]]) -> dict[str, tuple[str, ...]]:
    """Return by each group that leads into one the groups in between, the shortest way."""
    paths: dict[str, tuple[str, ...]] = {group: ()}
    waiting = [group]
    for one in waiting:
        between = (*paths[one], one) if one != group else ()
        for child in sorted(inside.get(one, ())):
            if child not in paths:
                paths[child] = between
                waiting.append(child)
    return paths


def outside_hours(entries: Iterable[Entry], hours: AbstractSet[int], offset: timedelta) -> Iterator[Entry]:
    """Yield what was done at other hours of the week than these, in a time zone that is so far from UTC."""
    for entry in entries:
        there = entry.known.event.at + offset
        if there.weekday() * 24 + there.hour not in hours:
            yield entry
