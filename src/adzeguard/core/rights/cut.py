"""The smallest set of grants and memberships to take away, so that only the named reach a group: a minimum cut."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from adzeguard.core.rights.reach import Edge, ReachGraph
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
