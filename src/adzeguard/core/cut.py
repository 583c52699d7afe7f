"""The smallest set of grants and memberships to take away, so that only the named reach a group: a minimum cut."""

from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from adzeguard.core.change.by_hand import memberships_by_hand
from adzeguard.core.change.plan import Change
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.delegations import Rights
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.reach import EVERYBODY, Edge, ReachGraph, edge_in_words, reaching
from adzeguard.core.rights.takeover import OWNS

_CANNOT_BE_CUT = 1_000_000
_Key = tuple[str, int, int, str, bytes]


@dataclass(frozen=True, slots=True)
class Cut:
    """What to take away. `stays_open` tells that some way cannot be closed by taking grants or memberships away."""

    edges: tuple[Edge, ...]
    stays_open: bool


def smallest_cut(graph: ReachGraph, unwanted: Iterable[int], wanted: Iterable[int]) -> Cut:
    """Return the smallest cut between those who must not reach the group and the group.

    A membership or a grant counts once, however many objects it reaches. What a wanted member holds themselves is
    never taken from them, and ownership and inheritance cannot be taken away as a grant can.
    """
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import maximum_flow

    keep = set(wanted)
    nodes: dict[object, int] = {"source": 0, "sink": 1}
    capacities: dict[tuple[int, int], int] = {}
    removable: dict[tuple[int, int], Edge] = {}

    def node(name: object) -> int:
        return 1 if name == graph.group else nodes.setdefault(name, len(nodes))

    for edge in graph.edges:
        holder, target = node(edge.holder), node(edge.target)
        if edge.holder in keep or edge.how == OWNS or (edge.entry is None and not edge.is_membership):
            capacities[holder, target] = _CANNOT_BE_CUT
            continue
        between = node(_key(edge))
        capacities[holder, between] = 1
        capacities[between, target] = _CANNOT_BE_CUT
        removable[holder, between] = edge
    for person in unwanted:
        if person in nodes:
            capacities[0, node(person)] = _CANNOT_BE_CUT
    size = len(nodes)
    matrix = csr_array(
        (np.fromiter(capacities.values(), np.int32), tuple(np.array(list(capacities), np.int32).reshape(-1, 2).T)),
        shape=(size, size),
    )
    flow = maximum_flow(matrix, 0, 1)
    residual = (matrix - flow.flow).tocsr()
    near_sink = _leading_to(residual, 1)
    cut = [edge for (start, end), edge in removable.items() if start not in near_sink and end in near_sink]
    return Cut(tuple(cut), stays_open=flow.flow_value >= _CANNOT_BE_CUT)


def _key(edge: Edge) -> _Key:
    """One grant is one thing to take away, on whichever objects its entry arrives."""
    if edge.is_membership or edge.entry is None:
        return ("membership", edge.holder, edge.target, edge.how, b"")
    bare = edge.entry.with_flags(0).to_bytes()
    return ("grant", edge.holder, edge.stands_on, "", bare)


def _leading_to(residual: "csr_array", sink: int) -> set[int]:  # type: ignore[name-defined]  # noqa: F821
    """Return the nodes from which the residual network still leads to the sink: the cut is nearest to the group."""
    backwards = residual.T.tocsr()
    seen, waiting = {sink}, [sink]
    while waiting:
        here = waiting.pop()
        row = slice(backwards.indptr[here], backwards.indptr[here + 1])
        for before, left in zip(backwards.indices[row].tolist(), backwards.data[row].tolist(), strict=True):
            if left > 0 and before not in seen:
                seen.add(before)
                waiting.append(before)
    return seen


@dataclass(frozen=True)
class Proposal:
    """A cut for people: each thing to take away in words, and who may go on reaching the group."""

    edges: tuple[Edge, ...]
    words: tuple[str, ...]
    named: tuple[Principal, ...]
    unwanted: tuple[Principal, ...]
    stays_open: bool


def proposed_cut(
    rights: Rights, charter: ResolvedCharter, group: Principal, graph: ReachGraph, also: Iterable[Principal] = ()
) -> Proposal:
    """Return what to take away so that only those reach the group whom rules about it name, and the keepers."""
    found = reaching(rights.estate, graph)
    shown = rights.estate.catalogue.principals({i for e in graph.edges for i in (e.holder, e.target, e.stands_on)})
    # A keeper group that holds the group itself names nobody in particular: everybody inside would be meant.
    keepers = [p for p in charter.keepers if p.kind != Kind.GROUP or not _holds(rights, p, group)]
    named = {p.id: p for p in (*_named_for(charter, group), *keepers, *also) if p.id >= 0}
    inside = {m for p in named.values() if p.kind == Kind.GROUP for m in _members(rights, p)}
    unwanted = [r.principal for r in found if r.principal.id not in named.keys() | inside]
    starts = [EVERYBODY if p.id < 0 else p.id for p in unwanted]
    cut = smallest_cut(graph, starts, {*named, *inside})
    words = tuple(_in_words(shown, edge) for edge in cut.edges)
    return Proposal(cut.edges, words, tuple(named.values()), tuple(unwanted), cut.stays_open)


def _named_for(charter: ResolvedCharter, group: Principal) -> list[Principal]:
    rules = [rule for rule in charter.group_rules if rule.group == group]
    listed = [r for rule in rules for r in (*(rule.only or ()), *rule.include, *(rule.reach_only or ()))]
    return [reference for reference in listed if isinstance(reference, Principal)]


def _holds(rights: Rights, outer: Principal, inner: Principal) -> bool:
    return outer.id == inner.id or outer.id in rights.estate.graph.effective_groups(inner.id)


def _members(rights: Rights, group: Principal) -> list[int]:
    members: list[int] = rights.estate.graph.expand(group.id).people.tolist()
    return members


def _in_words(shown: dict[int, Principal], edge: Edge) -> str:
    over = shown.get(edge.stands_on)
    if edge.is_membership or over is None:
        return f"end the membership: {edge_in_words(shown, edge)}"
    if edge.stands_on == edge.target:
        return f"withdraw the grant: {edge_in_words(shown, edge)}"
    below = replace(over, qualified_name=f"those below {over.dn}")
    return f"withdraw the grant: {edge_in_words(shown | {edge.target: below}, edge)}"


def cut_changes(rights: Rights, proposal: Proposal) -> list[Change]:
    """Return the memberships of a cut as changes, to see what they come to; a primary group is left first."""
    estate = rights.estate
    pairs = [
        (estate.principal(edge.target), estate.principal(edge.holder)) for edge in proposal.edges if edge.is_membership
    ]
    changes, _ = memberships_by_hand(estate, (), pairs, "")
    return list(changes)
