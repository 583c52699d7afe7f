"""The ways into privileged groups for those who are not in them, worst first, each with the change that closes most."""

from collections import Counter
from collections.abc import Iterable

from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.proposed_cut import Part, part_of
from adzeguard.core.rights.cut import what_is_taken
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.reach_graph import Edge
from adzeguard.core.rights.reach_words import Reaching
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class WayIn:
    """A way into a group, what to take away, and for how many people it is closed by that, here and elsewhere."""

    group: Principal
    way: Reaching
    close: Part | None
    closed_for: int


def ways_in(rights: Rights, found: Iterable[tuple[Principal, Reaching]]) -> list[WayIn]:
    """Return the ways that are no membership, the best proved, the most people and the shortest first."""
    told = list(found)
    groups = {group.id for group, _ in told}
    # A way that goes through another of the groups is told of that one.
    ways = [
        (group, way)
        for group, way in told
        if not way.member and groups.isdisjoint(edge.target for edge in way.chain[:-1])
    ]
    people = Counter[object]()
    for _, way in ways:
        for taken in {what_is_taken(edge) for edge in _closable(way)}:
            people[taken] += way.people
    shown = rights.estate.catalogue.principals(
        i for _, way in ways for e in way.chain for i in (e.holder, e.target, e.stands_on) if i >= 0
    )
    found_ways = []
    for group, way in ways:
        # Of two that close as much, the one nearest to the group: further out somebody needs it for their work.
        best = max(reversed(_closable(way)), key=lambda edge: people[what_is_taken(edge)], default=None)
        part = part_of(shown, best, rights) if best is not None else None
        found_ways.append(WayIn(group, way, part, people[what_is_taken(best)] if best is not None else 0))
    return sorted(found_ways, key=lambda one: (one.way.proof, -one.way.people, len(one.way.chain), one.way.words))


def _closable(way: Reaching) -> list[Edge]:
    """Return what can be taken away: not the membership of those at its end, who are inside by right."""
    last = max(place for place, edge in enumerate(way.chain) if not edge.is_membership)
    return [edge for edge in way.chain[: last + 1] if edge.can_be_closed]
