"""Whether somebody really gets along a way: with every step they take they act as somebody else, or with more groups.

An entry for a group can be met by a denial that is about one of its people, and a new member of a group is met by what
is denied to it. So where denials stand, a way is gone step by step, with all that its walker acts with by then.
"""

from collections.abc import Callable, Iterator, Sequence
from collections.abc import Set as AbstractSet

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.evaluate import decide
from adzeguard.core.rights.questions import Asked
from adzeguard.core.rights.reach_graph import Edge, ReachGraph, object_of
from adzeguard.core.rights.ways import JOINING, TURNING_TO_JOIN
from adzeguard.core.values import dataclass

_BY_THEMSELVES = frozenset({JOINING.sentence, TURNING_TO_JOIN.sentence})
_STEPS_TRIED = 20_000
_Seen = Callable[[int], tuple[Principal | None, Descriptor | None]]


@dataclass(frozen=True, slots=True)
class _Actor:
    """Somebody one acts as, and the SIDs of what they have joined on the way."""

    who: int
    joined: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class _Standing:
    """Who one can act as at a point of the way, and everybody whom one has become so far."""

    acting: tuple[_Actor, ...]
    become: tuple[_Actor, ...]


class Walker:
    """Goes ways step by step. `seen` gives an object and its descriptor."""

    def __init__(self, estate: Estate, tokens: Tokens, everybody: Everybody, seen: _Seen) -> None:
        self._estate = estate
        self._tokens = tokens
        self._everybody = everybody
        self._seen = seen
        self._allowed: dict[Edge, NDArray[np.bool_]] = {}

    def settle(self, graph: ReachGraph) -> None:
        """Find another way for everybody whose shortest one is closed to them, or leave them out."""
        if not any(edge.doubt for edge in graph.edges):
            return
        onwards: dict[int, list[Edge]] = {}
        for edge in graph.edges:
            onwards.setdefault(edge.holder, []).append(edge)
        people = [i for i in graph.onward if i >= 0 and self._everybody.people[i]]
        for person in people:
            chain = graph.chain(person)
            if any(edge.doubt for edge in chain) and not self._works(chain):
                other = self._another(person, graph.group, onwards)
                if other is None:
                    graph.closed_to.add(person)
                else:
                    graph.instead[person] = other

    def _works(self, chain: Sequence[Edge]) -> bool:
        standing: _Standing | None = _at_start(chain[0].holder)
        for edge in chain:
            standing = self._after(standing, edge) if standing is not None else None
        return standing is not None

    def _another(self, start: int, goal: int, onwards: dict[int, list[Edge]]) -> tuple[Edge, ...] | None:
        """Search all ways on which nothing comes twice, the first that works; within a bound of steps."""
        stack: list[tuple[tuple[Edge, ...], _Standing]] = [((), _at_start(start))]
        for _ in range(_STEPS_TRIED):
            if not stack:
                return None
            way, standing = stack.pop()
            here = way[-1].target if way else start
            if here == goal:
                return way
            passed = {start, *(edge.target for edge in way)}
            for edge in self._open(onwards.get(here, ()), passed):
                after = self._after(standing, edge)
                if after is not None:
                    stack.append(((*way, edge), after))
        return None

    def _open(self, edges: Sequence[Edge], passed: AbstractSet[int]) -> Iterator[Edge]:
        return (edge for edge in edges if edge.target not in passed)

    def _after(self, standing: _Standing, edge: Edge) -> _Standing | None:
        """Return who one can act as after a step; None if nobody of them may take it."""
        if edge.is_membership:
            return standing
        able = tuple(actor for actor in standing.acting if self._may(actor, edge)) if edge.doubt else standing.acting
        target, _ = self._seen(edge.target)
        if not able or target is None:
            return None
        if target.kind in ACCOUNTS and edge.target >= 0:
            taken = (_Actor(target.id),)
            return _Standing(taken, (*standing.become, *taken))
        if target.kind == Kind.GROUP:
            inside = self._tokens.of(target)
            who = able if edge.how in _BY_THEMSELVES else standing.become
            joined = tuple(_Actor(actor.who, actor.joined | inside) for actor in who)
            return _Standing(joined, standing.become)
        return _Standing(standing.become, standing.become)

    def _may(self, actor: _Actor, edge: Edge) -> bool:
        target, descriptor = self._seen(edge.target)
        if target is None or descriptor is None:
            return False
        if not actor.joined:
            if edge not in self._allowed:
                self._allowed[edge] = self._everybody.allowed(target, Asked(edge.how, edge.doubt), descriptor)
            return bool(self._allowed[edge][actor.who])
        token = self._tokens.of(self._estate.principal(actor.who)) | actor.joined
        return all(decide(descriptor, token, target.sid or "", question).allowed for question in edge.doubt)


def _at_start(person: int) -> _Standing:
    return _Standing((_Actor(person),), (_Actor(person),))


def seen_among(principals: dict[int, Principal], descriptors: dict[int, bytes]) -> _Seen:
    """Return a look-up of objects that were read already, each descriptor read once."""
    known: dict[int, Descriptor] = {}

    def seen(node: int) -> tuple[Principal | None, Descriptor | None]:
        place = object_of(node)
        if place not in known and place in descriptors:
            known[place] = Descriptor.from_bytes(descriptors[place])
        return principals.get(place), known.get(place)

    return seen
