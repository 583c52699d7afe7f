"""Who gains and who loses effective access by a proposal."""

from collections import defaultdict
from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.change.outlook import Outlook, standing
from adzeguard.core.change.proposal import GroupImpact, Impact, PersonImpact
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.links import Ids, among, distinct, less
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.identity import Sid

_Held = tuple[frozenset[int], Ids]
"""The groups, and the people, sorted, that are direct members of the administrators of a host."""


def impact_of(estate: Estate, changes: Sequence[Change], after: Outlook) -> Impact:
    """Compare the effective access before the changes and after them."""
    hosts = {change.host_name for change in changes if change.host_name}
    removed = [change for change in changes if isinstance(change, RemoveLocalMember)]
    ids = estate.ids_of_sids({change.member_sid for change in removed})
    removed_outsiders = sum(ids[change.member_sid] is None for change in removed)
    return Impact(
        groups=tuple(_group_impacts(estate, after)),
        people=tuple(_person_impacts(estate, after)),
        hosts_touched=len(hosts),
        other_entries_removed=removed_outsiders,
    )


def _group_impacts(estate: Estate, after: Outlook) -> Iterable[GroupImpact]:
    affected = _affected_groups(estate, after)
    names = estate.catalogue.principals(affected)
    people = _touched_people(estate.graph, after)
    # Ten thousand groups inside each other take hours one by one, and as many people one by one as well.
    few = len(people) < len(affected)
    differences = _by_person(estate.graph, after.graph, affected, people) if few else {}
    for group in affected:
        both = estate.graph.grants_access(group) and after.graph.grants_access(group)
        gains, loses = differences.get(group, ([], [])) if few and both else _by_group(estate.graph, after.graph, group)
        if gains or loses:
            yield GroupImpact(
                group=names[group].qualified_name, gains=_names(estate, gains), loses=_names(estate, loses)
            )


def _affected_groups(estate: Estate, after: Outlook) -> list[int]:
    """Return the changed groups and all that they lead into, before or after."""
    graphs = (estate.graph, after.graph)
    return list(dict.fromkeys(i for g in graphs for i in g.containing_groups(after.changed_groups).tolist()))


def _by_group(before: MembershipGraph, after: MembershipGraph, group: int) -> tuple[list[int], list[int]]:
    was, will = before.expand(group).people, after.expand(group).people
    return less(will, was).tolist(), less(was, will).tolist()


def _by_person(
    before: MembershipGraph, after: MembershipGraph, groups: Iterable[int], people: Iterable[int]
) -> dict[int, tuple[list[int], list[int]]]:
    """Return who gains and who loses each group, from the few people whose groups can be others afterwards."""
    found: dict[int, tuple[list[int], list[int]]] = {group: ([], []) for group in groups}
    for person in sorted(people):
        was, will = before.effective_groups(person), after.effective_groups(person)
        for place, changed in ((0, less(will, was)), (1, less(was, will))):
            for group in changed.tolist():
                if group in found:
                    found[group][place].append(person)
    return found


def _touched_people(before: MembershipGraph, after: Outlook) -> set[int]:
    """Return everybody who is, or is inside, what changed groups hold before or after and not both times."""
    people: set[int] = set()
    for group in after.changed_groups:
        was, will = (_held(graph, group) for graph in (before, after.graph))
        turned = before.grants_access(group) != after.graph.grants_access(group)
        for member in (was | will) if turned else (was ^ will):
            if before.position_of(member) is None:
                people.add(member)
                continue
            people |= {int(i) for graph in (before, after.graph) for i in graph.expand(member).people}
    return people


def _held(graph: MembershipGraph, group: int) -> set[int]:
    return {*graph.direct_members(group).tolist(), *graph.primary_members(group).tolist()}


def _names(estate: Estate, ids: Iterable[int]) -> tuple[str, ...]:
    return tuple(sorted((p.qualified_name for p in estate.catalogue.principals(ids).values()), key=str.casefold))


def _person_impacts(estate: Estate, after: Outlook) -> list[PersonImpact]:
    gained, lost = host_counts(estate, after)
    touched = np.flatnonzero(gained | lost).tolist()
    people = estate.catalogue.principals(touched)
    found = [
        PersonImpact(person=p.qualified_name, gains_hosts=int(gained[i]), loses_hosts=int(lost[i]))
        for i, p in people.items()
    ]
    return sorted(found, key=lambda p: (-p.loses_hosts, -p.gains_hosts, p.person.casefold()))


def host_counts(estate: Estate, after: Outlook) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return for each id on how many hosts it gains and loses effective administration.

    Hosts that name the same groups before and after are one class, expanded once; people named directly on a host
    are looked at one by one.
    """
    gained = np.zeros(estate.graph.size, np.int64)
    lost = np.zeros(estate.graph.size, np.int64)
    classes: dict[tuple[frozenset[int], frozenset[int]], list[tuple[Ids, Ids]]] = defaultdict(list)
    for _, (groups_before, people_before), (groups_then, people_then) in _hosts_concerned(estate, after):
        classes[groups_before, groups_then].append((people_before, people_then))
    inside_before = _Inside(estate.graph)
    inside_then = inside_before if after.graph is estate.graph else _Inside(after.graph)
    for (groups_before, groups_then), hosts in classes.items():
        same_groups = groups_before == groups_then and not after.changed_groups
        if same_groups and all(before is then or before.tolist() == then.tolist() for before, then in hosts):
            continue  # entries that are no accounts of the directory came or went
        was, will = inside_before(groups_before), inside_then(groups_then)
        coming, going = less(will, was), less(was, will)
        gained[coming] += len(hosts)
        lost[going] += len(hosts)
        # Who is on the list before and after has what they had, whatever the groups give them.
        staying = [before if before is then else _in_both(before, then) for before, then in hosts]
        listed, counts = np.unique(np.concatenate(staying), return_counts=True)
        for moving, counted in ((coming, gained), (going, lost)):
            moved = among(listed, moving)
            counted[listed[moved]] -= counts[moved]
        apart = [(set(before.tolist()), set(then.tolist())) for before, then in hosts if before is not then]
        switched = np.array(sorted({person for before, then in apart for person in before ^ then}), np.int32)
        among_were, among_will = (set(switched[among(switched, inside)].tolist()) for inside in (was, will))
        for listed_before, listed_then in apart:
            for person in listed_before ^ listed_then:
                was_in, will_be_in = person in among_were, person in among_will
                had, has = was_in or person in listed_before, will_be_in or person in listed_then
                gained[person] += (has and not had) - (will_be_in and not was_in)
                lost[person] += (had and not has) - (was_in and not will_be_in)
    return gained, lost


def hosts_opened(estate: Estate, after: Outlook) -> set[str]:
    """Return the hosts that somebody new will administer because of what changes in directory groups, folded."""
    if not after.changed_groups:
        return set()
    inside_before, inside_then = _Inside(estate.graph), _Inside(after.graph)
    opened: set[str] = set()
    known: dict[frozenset[int], bool] = {}
    for host, _, (groups, _) in _hosts_concerned(estate, after):
        if groups not in known:
            known[groups] = bool(len(less(inside_then(groups), inside_before(groups))))
        if known[groups]:
            opened.add(host.name.casefold())
    return opened


_Concerned = tuple[Host, _Held, _Held]
"""A host, with the groups and the people in its administrators group before and after."""


def _hosts_concerned(estate: Estate, after: Outlook) -> list[_Concerned]:
    """Return the hosts whose own list changes, or names a group in which others will be: of most nothing is to be said.

    All that is told of them is looked up in one go.
    """
    affected = estate.marked(_affected_groups(estate, after))
    names_one, changed = standing(estate).held_by_any(affected), after.administrators.changed
    estate.ids_of_sids({sid for members in changed.values() for sid in members})
    found: list[_Concerned] = []
    for place, host in enumerate(estate.hosts):
        if place in changed or names_one(place):
            before = estate.groups_and_people_at(place)
            found.append((host, before, _apart(estate, changed[place]) if place in changed else before))
    return found


def _in_both(some: Ids, others: Ids) -> Ids:
    """Return the ids in both: of a few, by sets, since NumPy takes twenty times as long for each pair."""
    return np.array(sorted(set(some.tolist()) & set(others.tolist())), np.int32)


def _apart(estate: Estate, members: frozenset[Sid]) -> _Held:
    groups, people = estate.groups_and_people(members)
    return groups, np.array(sorted(people), np.int32)


class _Inside:
    """Remembers who is inside a set of groups: ids, sorted."""

    def __init__(self, graph: MembershipGraph) -> None:
        self._graph = graph
        self._known: dict[frozenset[int], Ids] = {}
        self._people: dict[int, Ids] = {}

    def __call__(self, groups: frozenset[int]) -> Ids:
        if groups not in self._known:
            people = [self._of_one(group) for group in sorted(groups) if self._graph.grants_access(group)]
            self._known[groups] = distinct(np.concatenate(people)) if people else np.empty(0, np.int32)
        return self._known[groups]

    def _of_one(self, group: int) -> Ids:
        if group not in self._people:
            self._people[group] = self._graph.expand(group).people
        return self._people[group]
