"""Who reaches a group, in words."""

from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Final

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.rights.reach_graph import EVERYBODY, Edge, ReachGraph, object_of, objects_of
from adzeguard.core.wellknown import WELL_KNOWN

PEOPLE: Final = ACCOUNTS | {Kind.FOREIGN}
"""Who acts by itself."""
_ANYBODY: Final = outsider(WELL_KNOWN["everyone"])
_NOBODY: Final[AbstractSet[int]] = frozenset()


@dataclass(frozen=True, slots=True)
class Reaching:
    """Somebody who reaches a group, and the way."""

    principal: Principal
    chain: tuple[Edge, ...]
    words: str
    names: tuple[str, ...] = ()
    """The names on the way, from the one who acts to the group."""

    @property
    def member(self) -> bool:
        """Whether memberships alone lead there."""
        return all(edge.is_membership for edge in self.chain)


def reaching(
    estate: Estate, graph: ReachGraph, *, members_too: bool = True, but: AbstractSet[int] = _NOBODY
) -> list[Reaching]:
    """Return everybody behind a group: members first, then those who could become one, the nearest first.

    Who is among `but` is left out unless they are members.
    """
    behind = graph.behind()
    kinds = estate.catalogue.principals(i for i in behind if i >= 0)
    # A way of ten thousand steps to each of ten thousand groups on it would take minutes; only people are told.
    acting = [i for i in behind if i == EVERYBODY or (i in kinds and kinds[i].kind in PEOPLE)]
    chains = {i: tuple(graph.chain(i)) for i in acting}
    by_membership = {i for i, chain in chains.items() if all(edge.is_membership for edge in chain)}
    left_out = by_membership if not members_too else but - by_membership
    chains = {i: chain for i, chain in chains.items() if i not in left_out and (members_too or i not in but)}
    shown = estate.catalogue.principals(objects_of(i for c in chains.values() for e in c for i in (e.holder, e.target)))
    people = {i: shown[i] for i in chains if i in shown and shown[i].kind in PEOPLE}
    people |= {EVERYBODY: _ANYBODY} if EVERYBODY in chains else {}
    found = [
        Reaching(person, chains[i], chain_in_words(shown, chains[i]), _names(shown, chains[i]))
        for i, person in people.items()
    ]
    return sorted(found, key=lambda r: (not r.member, len(r.chain), r.principal.qualified_name.casefold()))


def _names(shown: Mapping[int, Principal], chain: Sequence[Edge]) -> tuple[str, ...]:
    return (*(_name(shown, edge.holder) for edge in chain[:1]), *(_name(shown, edge.target) for edge in chain))


def first_right(chain: Sequence[Edge]) -> Edge:
    """Return the first edge of a chain that is no membership: the right by which somebody could get in."""
    return next(edge for edge in chain if not edge.is_membership)


def chain_in_words(shown: Mapping[int, Principal], chain: Iterable[Edge]) -> str:
    """Return "A is a member of B, which may reset the password of C"."""
    edges = list(chain)
    head = [edge_in_words(shown, edge) for edge in edges[:1]]
    return ", ".join([*head, *(e.how.format("which", _name(shown, e.target)) for e in edges[1:])])


def edge_in_words(shown: Mapping[int, Principal], edge: Edge) -> str:
    """Return one edge as a sentence."""
    return edge.how.format(_name(shown, edge.holder), _name(shown, edge.target))


def _name(shown: Mapping[int, Principal], node: int) -> str:
    if node == EVERYBODY:
        return _ANYBODY.qualified_name
    found = shown.get(object_of(node))
    return found.qualified_name if found is not None else "somebody"
