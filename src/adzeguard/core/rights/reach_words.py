"""Who reaches a group, in words."""

from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from typing import Final

from adzeguard.core.access.members import people_inside
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.rights.reach_graph import EVERYBODY, Edge, ReachGraph, object_of, objects_of
from adzeguard.core.rights.ways import ADMINISTERS, OVER_HOSTS, SEES
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import WELL_KNOWN

PEOPLE: Final = ACCOUNTS | {Kind.FOREIGN}
"""Who acts by itself."""
_ANYBODY: Final = outsider(WELL_KNOWN["everyone"])
_NOBODY: Final[AbstractSet[int]] = frozenset()
_MOST_TOLD: Final = 200
"""Ways over hosts that are told, the best proved and shortest ones: nobody reads more, or closes more at once."""


@dataclass(frozen=True, slots=True)
class Reaching:
    """Somebody who reaches a group, and the way."""

    principal: Principal
    chain: tuple[Edge, ...]
    words: str
    names: tuple[str, ...] = ()
    """The names on the way, from the one who acts to the group."""
    people: int = 1
    """How many have the way: all inside, where it is told of a group."""

    @property
    def member(self) -> bool:
        """Whether memberships alone lead there."""
        return all(edge.is_membership for edge in self.chain)

    @property
    def proof(self) -> int:
        """How well the least proved step is, 0 being the best."""
        return max((edge.proof for edge in self.chain), default=0)

    @property
    def over_hosts(self) -> bool:
        """Whether the way goes through a host."""
        return any(edge.how in OVER_HOSTS for edge in self.chain)


def reaching(
    estate: Estate, graph: ReachGraph, *, members_too: bool = True, but: AbstractSet[int] = _NOBODY
) -> list[Reaching]:
    """Return everybody behind a group: members first, then those who could become one, the nearest first.

    Who is among `but` is left out unless they are members.
    """
    # Of most people on a way over hosts nothing is told here: not even their names are looked up.
    behind = [i for i in graph.behind() if i not in but or (members_too and graph.first(i).is_membership)]
    kinds = estate.catalogue.principals(i for i in behind if i >= 0)
    # A way of ten thousand steps to each of ten thousand groups on it would take minutes; only people are told.
    acting = [i for i in behind if i == EVERYBODY or (i in kinds and kinds[i].kind in PEOPLE)]
    # A host does not act by itself: those who administer it do, and are told.
    acting = [i for i in acting if i not in graph.onward or graph.onward[i].how != SEES]
    chains = {i: tuple(graph.chain(i)) for i in acting}
    by_membership = {i for i, chain in chains.items() if all(edge.is_membership for edge in chain)}
    left_out = by_membership if not members_too else but - by_membership
    chains = {i: chain for i, chain in chains.items() if i not in left_out}
    shown = estate.catalogue.principals(objects_of(i for c in chains.values() for e in c for i in (e.holder, e.target)))
    people = {i: shown[i] for i in chains if i in shown and shown[i].kind in PEOPLE}
    people |= {EVERYBODY: _ANYBODY} if EVERYBODY in chains else {}
    found = [
        Reaching(person, chains[i], chain_in_words(shown, chains[i]), _names(shown, chains[i]))
        for i, person in people.items()
    ]
    return sorted(found, key=_nearest)


@dataclass(frozen=True, slots=True)
class OverHostsFound:
    """Who reaches a group, the ways over hosts told once each, and how many people have no other."""

    told: Sequence[Reaching]
    by_hosts_alone: int
    ruling: int
    """How many more rule the domain anyway."""
    is_cut_short: bool = False


def ways_over_hosts(estate: Estate, graph: ReachGraph, but: AbstractSet[int] = _NOBODY) -> OverHostsFound:
    """Return everybody behind a group as `reaching` does, and each way over a host once, however many people have it.

    A group of a thousand people that administers a host is one thing to see and to close; each such group and each host
    is told, also where those inside have a nearer way. Who comes to such a group by a right is told by that right.
    """
    over = _over_hosts(graph)
    others = reaching(estate, graph, but=but | over)
    acting = estate.of_kinds(PEOPLE)
    people = {i for i in over if i == EVERYBODY or (i >= 0 and acting[i])} - but
    chains: dict[tuple[int, int], tuple[Sequence[Edge], int]] = {}
    for edge in graph.edges:
        # A distribution group lets nobody in; whoever may make it a security group is told by that right.
        if edge.how == ADMINISTERS and edge.target in graph.onward and estate.graph.gives_anything(edge.holder):
            chains[edge.holder, edge.target] = ((edge, *graph.chain(edge.target)), 0)
    for one in people:
        first = first_right(chain := graph.chain(one))
        if first.how not in OVER_HOSTS:
            before = chains.get((first.holder, first.target))
            chains[first.holder, first.target] = (chain[chain.index(first) :], 1 + (before[1] if before else 0))
    nearest = sorted(chains.values(), key=lambda told: (max(e.proof for e in told[0]), len(told[0])))[:_MOST_TOLD]
    shown = estate.catalogue.principals(objects_of(i for c, _ in nearest for e in c for i in (e.holder, e.target)))
    found = [
        Reaching(
            _ANYBODY if chain[0].holder == EVERYBODY else shown[object_of(chain[0].holder)],
            tuple(chain),
            chain_in_words(shown, chain),
            _names(shown, chain),
            count or _people_behind(estate, chain[0].holder),
        )
        for chain, count in nearest
    ]
    hosts = {i for i in people if i in graph.onward and graph.onward[i].how == SEES}
    inside = people_inside(estate.graph, {holder for holder, _ in chains if holder >= 0})
    by_hosts_alone = (people | set(inside.tolist())) - hosts - but - {way.principal.id for way in others}
    told = sorted([*others, *found], key=_nearest)
    ruling = len(but - {way.principal.id for way in others})
    return OverHostsFound(told, len(by_hosts_alone), ruling, graph.is_cut_short or len(chains) > _MOST_TOLD)


def _over_hosts(graph: ReachGraph) -> set[int]:
    """Return what has its shortest way over a host: the way of each goes on as that of the next on it."""
    over: dict[int, bool] = {graph.group: False}
    for start in graph.behind():
        passed, here = [], start
        while here not in over:
            passed.append(here)
            edge = graph.onward[here]
            if edge.how in OVER_HOSTS:
                over[here] = True
            else:
                here = edge.target
        over |= dict.fromkeys(passed, over[here])
    return {node for node, by_host in over.items() if by_host}


def _people_behind(estate: Estate, holder: int) -> int:
    """Return how many people somebody stands for: those inside a group, or one."""
    if holder < 0 or estate.graph.position_of(holder) is None:
        return 1
    return len(estate.graph.expand(holder).people)


def _nearest(way: Reaching) -> tuple[bool, int, int, str]:
    return not way.member, way.proof, len(way.chain), way.principal.qualified_name.casefold()


def _names(shown: Mapping[int, Principal], chain: Sequence[Edge]) -> tuple[str, ...]:
    return (*(_name(shown, edge.holder) for edge in chain[:1]), *(_name(shown, edge.target) for edge in chain))


def first_right(chain: Sequence[Edge]) -> Edge:
    """Return the first edge of a chain that is no membership: the right by which somebody could get in."""
    return next(edge for edge in chain if not edge.is_membership)


def chain_in_words(shown: Mapping[int, Principal], chain: Iterable[Edge]) -> str:
    """Return "A is a member of B, which may reset the password of C"."""
    edges = list(chain)
    head = [edge_in_words(shown, edge) for edge in edges[:1]]
    return ", ".join([*head, *(_with_evidence(e, e.how.format("which", _name(shown, e.target))) for e in edges[1:])])


def edge_in_words(shown: Mapping[int, Principal], edge: Edge) -> str:
    """Return one edge as a sentence."""
    return _with_evidence(edge, edge.how.format(_name(shown, edge.holder), _name(shown, edge.target)))


def _with_evidence(edge: Edge, words: str) -> str:
    return f"{words} {edge.evidence}" if edge.evidence else words


def _name(shown: Mapping[int, Principal], node: int) -> str:
    if node == EVERYBODY:
        return _ANYBODY.qualified_name
    found = shown.get(object_of(node))
    return found.qualified_name if found is not None else "somebody"
