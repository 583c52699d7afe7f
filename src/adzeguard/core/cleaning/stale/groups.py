"""Groups that nobody is in, by any nesting, and rings of groups."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.principal import ACCOUNTS, Kind


def stale_groups(looked: StaleInput) -> Iterator[Stale]:
    """Yield each stale group once for each thing that is stale about it, by name."""
    graph = looked.estate.graph
    anybody = np.ones(graph.size, bool)
    unknown = np.zeros(graph.size, bool)
    unknown[looked.estate.catalogue.of_kind(Kind.FOREIGN)] = True
    dead = _unresolved(looked)
    holding = graph.groups_listing_any(anybody)
    usable = graph.groups_listing_any(looked.is_enabled | _not_accounts(looked))
    alive = graph.groups_listing_any(~dead)
    listed = graph.direct_counts()
    rings = set(rings_of(graph))
    wanted = np.flatnonzero(~holding | ~usable | ~alive | (listed == 0))
    ids = {*graph.group_ids[wanted].tolist(), *rings}
    for group in sorted(looked.objects(ids), key=lambda one: one.qualified_name.casefold()):
        position = graph.position_of(group.id)
        if position is None:
            continue
        made = moment(group.details.get("created"))
        if not listed[position]:
            yield Stale.of(group, "no-members", "it has no members", made)
        elif not holding[position]:
            yield Stale.of(group, "nobody-inside", "only groups are inside, and nobody in them", made)
        elif not alive[position]:
            yield Stale.of(group, "only-unresolved", "all that is inside resolves to nothing", made)
        elif not usable[position]:
            yield Stale.of(group, "only-disabled", "only disabled accounts are inside", made)
        if group.id in rings:
            yield Stale.of(group, "in-a-ring", "it contains itself through other groups", made)


def _not_accounts(looked: StaleInput) -> NDArray[np.bool_]:
    """By ids, what is inside groups and can be neither enabled nor disabled, such as a contact."""
    flags = np.ones(looked.estate.graph.size, bool)
    for kind in sorted(ACCOUNTS):
        flags[looked.estate.catalogue.of_kind(kind)] = False
    return flags


def _unresolved(looked: StaleInput) -> NDArray[np.bool_]:
    """By ids, the placeholders for SIDs of our domains that belong to nothing in it any more."""
    flags = np.zeros(looked.estate.graph.size, bool)
    catalogue, domain = looked.estate.catalogue, looked.estate.domain
    for one in catalogue.principals(catalogue.of_kind(Kind.FOREIGN).tolist()).values():
        flags[one.id] = one.sid is not None and domain.of_sid(one.sid) is not None
    return flags


def rings_of(graph: MembershipGraph) -> list[int]:
    """Return the ids of the groups that contain themselves, directly or through others.

    What has nothing nested inside, or is inside nothing, is in no ring, and without it the same holds of others; so
    few are left to follow one by one.
    """
    sources, targets = graph.nested.pairs()
    left = np.ones(len(graph.group_ids), bool)
    while True:
        alive = left[sources] & left[targets]
        on_both_sides = np.zeros(len(left), bool)
        on_both_sides[np.intersect1d(sources[alive], targets[alive])] = True
        if (on_both_sides == left).all():
            break
        left = on_both_sides
    return [int(i) for i in graph.group_ids[left] if int(i) in _inside_itself(graph, int(i))]


def _inside_itself(graph: MembershipGraph, group: int) -> set[int]:
    position = graph.position_of(group)
    seen: set[int] = set()
    waiting = graph.nested.row(position).tolist() if position is not None else []
    for one in waiting:
        if one not in seen:
            seen.add(one)
            waiting.extend(graph.nested.row(one).tolist())
            if one == position:
                return {group}
    return set()
