"""How many effective members each group has, for all groups at once."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.links import Links
from adzeguard.core.estate.membership import MembershipGraph

_CELLS_AT_ONCE = 20_000_000
_Sparse = Any
"""A matrix of SciPy, which has no types."""


def effective_people_counts(graph: MembershipGraph) -> NDArray[np.int64]:
    """Return for each row of `graph.group_ids` the number of its effective members that are not groups.

    Groups that contain each other have the same members, so they are counted as one: strongly connected components
    first, then what each component reaches, then sparse products in chunks, so that memory stays bounded.
    A distribution group is counted by what it lists and what its nested groups list, as mail would be delivered.
    """
    from scipy import sparse
    from scipy.sparse import csgraph

    rows = len(graph.group_ids)
    if rows == 0:
        return np.zeros(0, np.int64)
    counts = np.zeros(rows, np.int64)
    security = graph.security
    for part, through in ((security, security), (~security, np.ones(rows, bool))):
        if not part.any():
            continue
        sources, targets = graph.nested.pairs()
        flows = through[sources] & through[targets]
        ones = np.ones(int(flows.sum()), np.int8)
        nested = sparse.csr_matrix((ones, (sources[flows], targets[flows])), shape=(rows, rows))
        components, labels = csgraph.connected_components(nested, directed=True, connection="strong")
        reach = _reachability(nested, components, labels)
        people = _people_of_components(graph, components, labels, through)
        counts[part] = _distinct_people(reach, people)[labels][part]
    return counts


def _reachability(nested: _Sparse, components: int, labels: NDArray[np.int32]) -> _Sparse:
    """Component by component matrix of what each reaches, itself included, by repeated squaring."""
    from scipy import sparse

    sources, targets = nested.nonzero()
    ones = np.ones(len(sources), np.float32)
    step = sparse.csr_matrix((ones, (labels[sources], labels[targets])), shape=(components, components))
    reach = _as_ones(step + sparse.identity(components, np.float32, format="csr"))
    while True:
        further = _as_ones(reach @ reach)
        if further.nnz == reach.nnz:
            return reach
        reach = further


def _as_ones(matrix: _Sparse) -> _Sparse:
    matrix.data[:] = 1
    return matrix


def _people_of_components(
    graph: MembershipGraph, components: int, labels: NDArray[np.int32], counted: NDArray[np.bool_]
) -> _Sparse:
    from scipy import sparse

    sources, targets = _all_people(graph)
    kept = counted[sources]
    ones = np.ones(int(kept.sum()), np.float32)
    return _as_ones(
        sparse.csr_matrix(
            (ones, (labels[sources[kept]], targets[kept])), shape=(components, graph.size), dtype=np.float32
        )
    )


def _all_people(graph: MembershipGraph) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    def pairs(links: Links) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
        return links.pairs()

    listed, primary = pairs(graph.people), pairs(graph.primary)
    return np.concatenate([listed[0], primary[0]]), np.concatenate([listed[1], primary[1]])


def _distinct_people(reach: _Sparse, people: _Sparse) -> NDArray[np.int64]:
    """Count the columns that the product holds in each row, a bounded number of cells at a time."""
    counts = np.zeros(reach.shape[0], np.int64)
    # An upper bound of the cells of each row of the product: dense nesting makes it far larger than the input.
    bound = np.cumsum(reach @ np.diff(people.indptr))
    begin = 0
    while begin < reach.shape[0]:
        done = bound[begin - 1] if begin else 0
        end = max(begin + 1, int(np.searchsorted(bound, done + _CELLS_AT_ONCE, side="right")))
        product = reach[begin:end] @ people
        counts[begin:end] = np.diff(product.indptr)
        begin = end
    return counts
