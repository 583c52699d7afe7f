"""Who is effectively a member of what: nested groups, primary groups and cycles taken in.

Groups and everybody else are kept in separate links. A search walks the small part, group to group, and gathers
people once at the end; that is what keeps it in milliseconds on millions of links.

Access flows through security groups only: a distribution group inside a security group gives its members nothing,
so a search that starts at a security group does not enter one. A search that starts at a distribution group enters
everything, which is how mail is delivered.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.digests import digest_begun
from adzeguard.core.estate.links import Backwards, Ids, Links, distinct, less
from adzeguard.core.values import dataclass

LEFT_OUT = -1
"""Stands in a proof for the groups that were left out of its middle."""
_NONE = -1
_GROUPS_AT_ONCE = 1 << 13
_MASK_BITS = 64
_FEW = 16


@dataclass(frozen=True, slots=True)
class DirectChange:
    """Members that one group gains and loses directly; ids of objects."""

    gained: frozenset[int] = frozenset()
    lost: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class TurnedLinks:
    """The links of a graph turned round: the groups, as positions, that hold each member."""

    containing: Links
    """By the position of a group: the groups that list it."""
    listing: Links
    """By the id of anybody else: the groups that list them."""
    primary: Links
    """By id: the group that is the primary one."""


class Expansion:
    """One group and everything inside it, with the shortest way to each member."""

    def __init__(
        self, graph: "MembershipGraph", start: int, order: NDArray[np.int64], parents: NDArray[np.int64]
    ) -> None:
        """`order` holds the positions of the groups inside in the order they were reached, `start` first."""
        self._graph = graph
        self._start = start
        self._order = order
        self._parents = parents

    @cached_property
    def groups(self) -> Ids:
        """Ids of the groups inside, nearest first; the group itself only when a cycle leads back into it."""
        inside = self._graph.group_ids[self._order[1:]]
        return np.append(inside, self._graph.group_ids[self._start]) if self.in_cycle else inside

    @cached_property
    def in_cycle(self) -> bool:
        """Whether the group contains itself through others."""
        inside, _ = self._graph.nested.gather(self._order)
        return bool((inside == self._start).any())

    @cached_property
    def people(self) -> Ids:
        """Ids of all effective members that are not groups, sorted."""
        people, primary = (links.gather(self._order)[0] for links in (self._graph.people, self._graph.primary))
        if (len(people) + len(primary)) * _FEW < self._graph.size:
            return distinct(np.concatenate([people, primary]))
        inside = np.zeros(self._graph.size, bool)  # of many, a flag for each id is quicker than sorting
        inside[people] = inside[primary] = True
        return np.flatnonzero(inside).astype(np.int32)

    @cached_property
    def _nearest_holder(self) -> NDArray[np.int64]:
        """For each id, the place in `_order` of the nearest group that holds it; -1 for those outside."""
        listed, listed_in = self._graph.people.gather(self._order)
        primary, primary_in = self._graph.primary.gather(self._order)
        members = np.concatenate([listed, primary])
        holders = np.concatenate([listed_in, primary_in])
        # Assigned from the farthest group to the nearest, so that the nearest stays; a listed member goes before
        # a primary one of the same group, because the list is what people look at.
        farthest_first = np.lexsort((np.arange(len(members)), holders))[::-1]
        nearest = np.full(self._graph.size, _NONE, np.int64)
        nearest[members[farthest_first]] = holders[farthest_first]
        return nearest

    @cached_property
    def members(self) -> Ids:
        """Ids of all effective members, groups among them, sorted."""
        return np.sort(np.concatenate([self.groups, self.people]))

    def proof(self, member: int, most: int | None = None) -> list[int] | None:
        """Return the shortest chain of ids from the group down to the member, both ends included; or nothing.

        Of one longer than `most` only the group and so many of the last are given, with `LEFT_OUT` between: whoever
        asks for all members of ten thousand groups inside each other would get fifty million ids otherwise.
        """
        graph = self._graph
        position = graph.position_of(member)
        if position is not None:
            if position == self._start:
                return self._way_round() if self.in_cycle else None
            chain = self._chain_to(position, most)
            return None if chain is None else self._ids(chain)
        holder = int(self._nearest_holder[member]) if 0 <= member < graph.size else _NONE
        if holder == _NONE:
            return None
        chain = self._chain_to(int(self._order[holder]), most) or []
        return [*self._ids(chain), member]

    def _ids(self, chain: Iterable[int]) -> list[int]:
        return [LEFT_OUT if place == _NONE else int(self._graph.group_ids[place]) for place in chain]

    def _chain_to(self, position: int, most: int | None = None) -> list[int] | None:
        if position != self._start and self._parents[position] == _NONE:
            return None
        chain = [position]
        while chain[-1] != self._start:
            if len(chain) == most:
                return [self._start, _NONE, *chain[::-1]]
            chain.append(int(self._parents[chain[-1]]))
        return chain[::-1]

    def _way_round(self) -> list[int]:
        for position in self._order:
            if (self._graph.nested.row(int(position)) == self._start).any():
                chain = self._chain_to(int(position)) or []
                return [int(self._graph.group_ids[p]) for p in (*chain, self._start)]
        raise AssertionError("asked only where a cycle was seen")


class MembershipGraph:
    """All memberships of one directory at one moment.

    `size` is one more than the highest id of any object. `group_ids` are sorted. Row i of `nested` (positions into
    `group_ids`), `people` (ids) and `primary` (ids) belongs to group `group_ids[i]`.
    """

    def __init__(
        self,
        size: int,
        group_ids: Ids,
        security: NDArray[np.bool_],
        nested: Links,
        people: Links,
        primary: Links,
        turned: TurnedLinks | None = None,
    ) -> None:
        """`turned` are the same links turned round, where they are kept already."""
        self.size = size
        self.group_ids = group_ids
        self.security = security
        self.nested = nested
        self.people = people
        self.primary = primary
        self._turned = turned

    @classmethod
    def build(
        cls,
        size: int,
        security_by_group: Mapping[int, bool],
        members: Mapping[int, Iterable[int]],
        primary: Mapping[int, Iterable[int]],
    ) -> "MembershipGraph":
        """Make a graph from the direct members (ids of any object) and the primary members of each group."""
        group_ids = np.array(sorted(security_by_group), np.int32)
        position = {int(group): index for index, group in enumerate(group_ids)}
        nested: list[list[int]] = []
        people: list[list[int]] = []
        for group in position:
            inside = list(members.get(group, ()))
            nested.append([position[m] for m in inside if m in position])
            people.append([m for m in inside if m not in position])
        return cls(
            size,
            group_ids,
            np.array([security_by_group[int(g)] for g in group_ids], bool),
            Links.of_rows(nested),
            Links.of_rows(people),
            Links.of_rows([primary.get(group, ()) for group in position]),
        )

    def position_of(self, object_id: int) -> int | None:
        """Return where a group stands in `group_ids`, or nothing when the id is no group's."""
        # A plain int would make NumPy widen the whole array for each look-up.
        place = int(self.group_ids.searchsorted(np.int32(object_id)))
        return place if place < len(self.group_ids) and self.group_ids[place] == object_id else None

    def direct_members(self, group: int) -> Ids:
        """Ids that the group lists itself, sorted; primary members are not listed there."""
        position = self.position_of(group)
        if position is None:
            return np.empty(0, np.int32)
        return np.sort(np.concatenate([self.group_ids[self.nested.row(position)], self.people.row(position)]))

    def direct_counts(self) -> NDArray[np.int64]:
        """Return for each row of `group_ids` how many the group holds itself, primary members among them."""
        return np.diff(self.nested.starts) + np.diff(self.people.starts) + np.diff(self.primary.starts)

    def groups_inside(self, group: int) -> list[int]:
        """Return the groups that a group lists, sorted."""
        position = self.position_of(group)
        return [] if position is None else sorted(self.group_ids[self.nested.row(position)].tolist())

    def groups_among(self, ids: Collection[int]) -> frozenset[int]:
        """Return those that are groups; of a few one by one, which is quicker than all at once."""
        if len(ids) < _FEW:
            return frozenset(i for i in ids if self.position_of(i) is not None)
        asked = np.fromiter(ids, np.int32, len(ids))
        places = np.minimum(np.searchsorted(self.group_ids, asked), max(len(self.group_ids) - 1, 0))
        return frozenset(asked[self.group_ids[places] == asked].tolist()) if len(self.group_ids) else frozenset()

    def grants_access(self, group: int) -> bool:
        """Tell whether a group's members hold what is given to it: a distribution group is in nobody's token."""
        position = self.position_of(group)
        return position is not None and bool(self.security[position])

    def gives_anything(self, holder: int) -> bool:
        """Tell whether somebody has what is given to this one: it is no group, or one that grants access."""
        position = self.position_of(holder)
        return position is None or bool(self.security[position])

    def primary_members(self, group: int) -> Ids:
        """Ids of those whose primary group it is, sorted."""
        position = self.position_of(group)
        return np.empty(0, np.int32) if position is None else self.primary.row(position)

    def expand(self, group: int) -> Expansion:
        """Search everything inside a group, breadth first, so that the way found to each member is a shortest one."""
        start = self.position_of(group)
        if start is None:
            raise KeyError(group)
        order, parents = self._search(start, self.nested, security_only=bool(self.security[start]))
        return Expansion(self, start, order, parents)

    def people_below(self, groups: Iterable[int]) -> Ids:
        """Ids of all who are effective members of at least one of these security groups, and no groups, sorted."""
        rows = self._reached(self._positions(groups), self.nested, self.security)
        return distinct(np.concatenate([links.gather(rows)[0] for links in (self.people, self.primary)]))

    def _positions(self, groups: Iterable[int]) -> NDArray[np.int64]:
        return distinct(np.array([p for group in groups if (p := self.position_of(group)) is not None], np.int64))

    def _search(self, start: int, links: Links, *, security_only: bool) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        parents = np.full(len(self.group_ids), _NONE, np.int64)
        seen = np.zeros(len(self.group_ids), bool)
        if security_only:
            seen |= ~self.security
        seen[start] = True
        frontier = np.array([start], np.int64)
        levels = [frontier]
        while len(frontier):
            inside, origins = links.gather(frontier)
            fresh = np.flatnonzero(~seen[inside])
            found, first = np.unique(inside[fresh], return_index=True)
            parents[found] = frontier[origins[fresh[first]]]
            seen[found] = True
            frontier = found.astype(np.int64)
            levels.append(frontier)
        return np.concatenate(levels), parents

    @property
    def turned(self) -> TurnedLinks:
        """The links turned round."""
        if self._turned is None:
            groups = len(self.group_ids)
            self._turned = TurnedLinks(
                self.nested.reversed(groups), self.people.reversed(self.size), self.primary.reversed(self.size)
            )
        return self._turned

    @cached_property
    def _containing_group(self) -> Links:
        return self._turned.containing if self._turned else self.nested.reversed(len(self.group_ids))

    @cached_property
    def _listing_group(self) -> Links | Backwards:
        return self._turned.listing if self._turned else Backwards(self.people, self.size)

    @cached_property
    def _primary_group(self) -> Links | Backwards:
        return self._turned.primary if self._turned else Backwards(self.primary, self.size)

    def groups_listing(self, member: int) -> Ids:
        """Ids of the groups that list the object themselves."""
        position = self.position_of(member)
        rows = self._listing_group.row(member) if position is None else self._containing_group.row(position)
        return self.group_ids[rows]

    def primary_groups(self, member: int) -> Ids:
        """Ids of the groups that are the object's primary group (none or one)."""
        return self.group_ids[self._primary_group.row(member)] if member < self.size else np.empty(0, np.int32)

    def effective_groups(self, member: int) -> Ids:
        """Ids of all security groups whose access the object holds, sorted: what a logon token names."""
        first = self._first_groups(member)
        return self.group_ids[self._climb(distinct(first[self.security[first]]))]

    def _first_groups(self, member: int) -> NDArray[np.integer]:
        position = self.position_of(member)
        if position is not None:
            return self._containing_group.row(position)
        return np.concatenate([self._listing_group.row(member), self._primary_group.row(member)])

    def effective_groups_of(self, members: Sequence[int]) -> list[Ids]:
        """Return `effective_groups` of many at once: level by level for all of them, and not one after another."""
        width = max(len(self.group_ids), 1)
        firsts = [self._first_groups(member) for member in members]
        owners = np.repeat(np.arange(len(members), dtype=np.int64), [len(first) for first in firsts])
        above = np.concatenate([np.empty(0, np.int64), *firsts]).astype(np.int64)
        reached = frontier = distinct((owners * width + above)[self.security[above]])
        while len(frontier):
            next_above, origins = self._containing_group.gather(frontier % width)
            pairs: NDArray[np.int64] = (frontier // width)[origins] * width + next_above
            frontier = less(distinct(pairs[self.security[next_above]]), reached)
            reached = distinct(np.concatenate([reached, frontier]))
        ends = np.searchsorted(reached, np.arange(len(members) + 1, dtype=np.int64) * width)
        groups = self.group_ids[reached % width]
        return [groups[begin:end] for begin, end in pairwise(ends.tolist())]

    def containing_groups(self, groups: Iterable[int]) -> Ids:
        """Ids of the given groups and of all groups that they lead into, sorted."""
        return self.group_ids[self._climb(self._positions(groups))]

    def groups_holding(self, people: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Return for each row of `group_ids` whether it is a security group with one of the people inside.

        `people` holds a flag for each id. All groups are answered at once, from the people upwards.
        """
        return self._holding(people, self.security)

    def groups_listing_any(self, people: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Return the same for groups of every kind: one that only distributes mail has people inside all the same."""
        return self._holding(people, np.ones(len(self.group_ids), bool))

    def _holding(self, people: NDArray[np.bool_], passes: NDArray[np.bool_]) -> NDArray[np.bool_]:
        holding = np.zeros(len(self.group_ids), bool)
        for links in (self.people, self.primary):
            sources, targets = links.pairs()
            holding[sources[people[targets]]] = True
        reached = np.zeros(len(self.group_ids), bool)
        reached[self._climb(np.flatnonzero(holding & passes), passes)] = True
        return reached

    def _climb(self, frontier: NDArray[np.integer], passes: NDArray[np.bool_] | None = None) -> NDArray[np.int64]:
        return self._reached(frontier, self._containing_group, self.security if passes is None else passes)

    def _reached(self, frontier: NDArray[np.integer], links: Links, passes: NDArray[np.bool_]) -> NDArray[np.int64]:
        """Return the rows of these groups and of all that links lead to from them, over groups that pass."""
        reached = np.zeros(len(self.group_ids), bool)
        while len(frontier):
            reached[frontier] = True
            further, _ = links.gather(frontier)
            frontier = distinct(further[~reached[further] & passes[further]])
        return np.flatnonzero(reached)

    def privilege_masks(self, groups: list[int]) -> NDArray[np.uint64]:
        """Return for every object id which of up to 64 groups it effectively belongs to: bit i for `groups[i]`."""
        if len(groups) > _MASK_BITS:
            raise ValueError("at most 64 groups fit into one mask")
        of_group = np.zeros(len(self.group_ids), np.uint64)
        for bit, group in enumerate(groups):
            position = self.position_of(group)
            if position is not None:
                of_group[position] |= np.uint64(1 << bit)
        frontier = np.flatnonzero(of_group)
        while len(frontier):
            inside, origins = self.nested.gather(frontier)
            passes = self.security[inside]
            inside, masks = inside[passes], of_group[frontier[origins[passes]]]
            before = of_group[inside]
            np.bitwise_or.at(of_group, inside, masks)
            frontier = distinct(inside[of_group[inside] != before])
        masks = np.zeros(self.size, np.uint64)
        reaching = np.flatnonzero(of_group)
        for links in (self.people, self.primary):
            members, origins = links.gather(reaching)
            np.bitwise_or.at(masks, members, of_group[reaching[origins]])
        masks[self.group_ids] = self._masks_from_above(of_group)
        return masks

    def _masks_from_above(self, of_group: NDArray[np.uint64]) -> NDArray[np.uint64]:
        """A group belongs to what contains it, not to itself."""
        masks = np.zeros(len(self.group_ids), np.uint64)
        sources, targets = self.nested.pairs()
        passes = of_group[sources] != 0
        np.bitwise_or.at(masks, targets[passes], of_group[sources[passes]])
        return masks

    def with_changes(self, changes: Mapping[int, DirectChange]) -> "MembershipGraph":
        """Return the graph as it will be when the groups have gained and lost these members.

        A lost member is lost as a listed and as a primary one; see the proposal for how that comes about.
        """
        nested: dict[int, list[int]] = {}
        people: dict[int, list[int]] = {}
        primary: dict[int, list[int]] = {}
        for group, change in changes.items():
            row = self.position_of(group)
            if row is None:
                continue
            listed = (set(self.direct_members(group).tolist()) | change.gained) - change.lost
            positions = {member: self.position_of(member) for member in listed}
            nested[row] = [position for position in positions.values() if position is not None]
            people[row] = [member for member, position in positions.items() if position is None]
            if change.lost:
                primary[row] = list(set(self.primary.row(row).tolist()) - change.lost)
        return MembershipGraph(
            self.size,
            self.group_ids,
            self.security,
            self.nested.with_rows(nested),
            self.people.with_rows(people),
            self.primary.with_rows(primary),
        )

    def differing_groups(self, other: "MembershipGraph") -> set[int]:
        """Return the groups that hold others directly, or by their primary group, than in another graph."""
        both, here, there = np.intersect1d(self.group_ids, other.group_ids, assume_unique=True, return_indices=True)
        differ = np.zeros(len(both), bool)
        for mine, its, my_ids, its_ids in (
            (self.nested, other.nested, self.group_ids, other.group_ids),
            (self.people, other.people, None, None),
            (self.primary, other.primary, None, None),
        ):
            differ |= np.diff(mine.starts)[here] != np.diff(its.starts)[there]
            as_many = np.flatnonzero(~differ)
            # A run at a time: the members of all groups at once were 200 MB of eight million links.
            for begin in range(0, len(as_many), _GROUPS_AT_ONCE):
                same = as_many[begin : begin + _GROUPS_AT_ONCE]
                left, origins = mine.gather(here[same])
                right, _ = its.gather(there[same])
                unequal = (left if my_ids is None else my_ids[left]) != (right if its_ids is None else its_ids[right])
                differ[same[origins[unequal]]] = True
        alone = {
            group
            for one, counts in ((self, self.direct_counts()), (other, other.direct_counts()))
            for group in one.group_ids[(counts > 0) & ~np.isin(one.group_ids, both)].tolist()
        }
        return {*both[differ].tolist(), *alone}

    def of_size(self, size: int) -> "MembershipGraph":
        """Return the same memberships among ids that go further."""
        return MembershipGraph(size, self.group_ids, self.security, self.nested, self.people, self.primary)

    def with_security(self, changes: Mapping[int, bool]) -> "MembershipGraph":
        """Return the graph as it will be when some groups have become groups for access, or for mail alone."""
        security = self.security.copy()
        for group, gives_access in changes.items():
            row = self.position_of(group)
            if row is not None:
                security[row] = gives_access
        return MembershipGraph(self.size, self.group_ids, security, self.nested, self.people, self.primary)

    def digest(self) -> bytes:
        """Return 16 bytes that are the same exactly for the same memberships."""
        summary = digest_begun(16, self.size.to_bytes(8, "big"))
        summary.update(self.group_ids.data)
        summary.update(self.security.data)
        for links in (self.nested, self.people, self.primary):
            summary.update(links.starts.data)
            summary.update(np.ascontiguousarray(links.targets).data)
        return summary.digest()

    @property
    def nbytes(self) -> int:
        """Memory of the links, in bytes."""
        links = (self.nested, self.people, self.primary)
        return self.group_ids.nbytes + sum(part.starts.nbytes + part.targets.nbytes for part in links)
