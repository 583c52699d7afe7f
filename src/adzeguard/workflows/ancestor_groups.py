"""Which groups lead into some, or ever did: what was done to their members may have mattered there."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from collections.abc import Set as AbstractSet
from datetime import datetime

from adzeguard.core.estate.estate import Estate
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.past import Elsewhere, Past


def leading(
    into: Iterable[str], past: Past, elsewhere: Elsewhere, names: Identities, since: datetime | None = None
) -> AbstractSet[str]:
    """Return these groups and every group that was inside one of them at any time, or since one, by their SIDs.

    Of a log of a million lines the few are read that can matter to a question, and not all of it for each.
    """
    once = _once_inside(past, elsewhere, names, since)
    found = set(into)
    waiting = list(found)
    while waiting:
        inside = {child for one in waiting for child in once.get(one, ())} | set(_inside_now(past.estate, waiting))
        waiting = sorted(inside - found)
        found |= inside
    return found


def _once_inside(past: Past, elsewhere: Elsewhere, names: Identities, since: datetime | None) -> Mapping[str, set[str]]:
    """Return by groups which were put into them or taken out, of all that is known."""
    changed, members = past.trail.groups_changed(since=since), past.trail.members_changed(since)
    names.learn([*changed, *members])
    once: defaultdict[str, set[str]] = defaultdict(set)
    nested = _groups_among(members, {names.key(*one) for one in changed}, past, names)
    for group, member in past.trail.groups_of(nested, since):
        once[names.key(*group)].add(names.key(*member))
    for known in (*elsewhere.from_here, *elsewhere.seen):
        once[known.group].add(known.member)
    return once


def _groups_among(
    members: Iterable[tuple[str, str]], changed: AbstractSet[str], past: Past, names: Identities
) -> list[tuple[str, str]]:
    """Return which of those that a log names are groups: now, or by what was done to them."""
    keys = {name: names.key(*name) for name in members}
    ids = past.estate.ids_of_sids({key for key in keys.values() if key.startswith("S-1-") and key not in changed})
    graph = past.estate.graph
    there = {key for key in keys.values() if (i := ids.get(key)) is not None and graph.position_of(i) is not None}
    return [name for name, key in keys.items() if key in changed or key in there]


def _inside_now(estate: Estate, groups: Iterable[str]) -> Iterator[str]:
    """Yield the groups that are directly inside some."""
    graph = estate.graph
    ids = estate.ids_of_sids({group for group in groups if group.startswith("S-1-")})
    parents = [i for group in groups if (i := ids.get(group)) is not None and graph.position_of(i) is not None]
    children = {child for parent in parents for child in graph.groups_inside(parent)}
    yield from (str(one.sid) for one in estate.catalogue.principals(children).values() if one.sid)
