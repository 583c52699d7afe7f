"""The smallest set of grants and memberships to take away, so that only the named reach a group: a minimum cut."""

from collections.abc import Hashable, Iterable

import numpy as np

from adzeguard.core.rights.reach_graph import Edge, ReachGraph
from adzeguard.core.rights.ways import ACTS, SEES
from adzeguard.core.values import dataclass

_CANNOT_BE_CUT = 1_000_000
_SOURCE, _SINK = 0, 1


@dataclass(frozen=True, slots=True)
class Cut:
    """What to take away. `stays_open` tells that some way cannot be closed by taking grants or memberships away."""

    edges: tuple[Edge, ...]
    stays_open: bool


def smallest_cut(graph: ReachGraph, unwanted: Iterable[int], wanted: Iterable[int]) -> Cut:
    """Return the smallest cut between those who must not reach the group and the group.

    A membership or a grant counts once, however many objects it reaches and people have it. What a wanted member holds
    themselves is never taken from them, and ownership and inheritance cannot be taken away as a grant can.
    """
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import maximum_flow

    keep = set(wanted)
    nodes: dict[Hashable, int] = {"source": _SOURCE, "sink": _SINK}
    # Only one edge leads to the sink, so that the flow stays below what the library's 32 bits hold.
    capacities: dict[tuple[int, int], int] = {(nodes.setdefault(graph.group, len(nodes)), _SINK): _CANNOT_BE_CUT}
    removable: dict[tuple[int, int], Edge] = {}

    def node(name: Hashable) -> int:
        return nodes.setdefault(name, len(nodes))

    for edge in graph.edges:
        holder, target = node(edge.holder), node(edge.target)
        if (edge.holder in keep and edge.how != SEES) or not edge.can_be_closed:
            capacities[holder, target] = _CANNOT_BE_CUT
            continue
        taken = node(("in", what_is_taken(edge))), node(("out", what_is_taken(edge)))
        capacities[holder, taken[0]] = capacities[taken[1], target] = _CANNOT_BE_CUT
        capacities[taken] = 1
        removable.setdefault(taken, edge)
    for person in unwanted:
        if person in nodes:
            capacities[_SOURCE, node(person)] = _CANNOT_BE_CUT
    size = len(nodes)
    matrix = csr_array(
        (np.fromiter(capacities.values(), np.int32), tuple(np.array(list(capacities), np.int32).reshape(-1, 2).T)),
        shape=(size, size),
    )
    flow = maximum_flow(matrix, _SOURCE, _SINK)
    residual = (matrix - flow.flow).tocsr()
    near_sink = _leading_to(residual, _SINK)
    cut = [edge for (start, end), edge in removable.items() if start not in near_sink and end in near_sink]
    return Cut(tuple(cut), stays_open=flow.flow_value >= _CANNOT_BE_CUT)


def what_is_taken(edge: Edge) -> Hashable:
    """Return what is taken away to close it: one grant is one thing, on all objects and for all who have it."""
    if edge.how == ACTS:
        return edge.holder, edge.how  # one bit of the account is all of it
    if edge.is_membership or edge.entry is None:
        return edge.holder, edge.target, edge.how
    return edge.stands_on, edge.entry.with_flags(0).to_bytes()


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
