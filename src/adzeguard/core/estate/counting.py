"""How many effective members each group has, for all groups at once."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

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
    ones = np.ones(len(sources), bool)
    step = sparse.csr_matrix((ones, (labels[sources], labels[targets])), shape=(components, components))
    reach = _as_ones(step + sparse.identity(components, bool, format="csr"))
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
    """Component by component matrix of who is in it; one may stand in a row twice, which counts once in a product.

    Made row by row as it is kept, since a matrix of pairs takes four times the memory on the way.
    """
    from scipy import sparse

    in_order = np.flatnonzero(counted)
    in_order = in_order[np.argsort(labels[in_order], kind="stable")]
    lengths = np.zeros(components, np.int64)
    parts = []
    for links in (graph.people, graph.primary):
        targets, origins = links.gather(in_order)
        parts.append((targets, labels[in_order][origins]))
        lengths += np.bincount(parts[-1][1], minlength=components)
    targets = np.concatenate([targets for targets, _ in parts])
    if len(parts[1][0]):
        targets = targets[np.argsort(np.concatenate([of for _, of in parts]), kind="stable")]
    starts = np.append(0, np.cumsum(lengths))
    starts = starts.astype(np.int32) if starts[-1] < np.iinfo(np.int32).max else starts
    ones = np.ones(len(targets), bool)  # which never count over, as numbers of few bits do
    return sparse.csr_matrix((ones, targets, starts), shape=(components, graph.size))


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
