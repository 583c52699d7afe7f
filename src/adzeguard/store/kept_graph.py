"""The membership graph as kept columns, both ways, read only below or above what is asked; and brought on."""

from collections.abc import Iterable, Mapping
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.links import Ids, Links, gathered, spliced
from adzeguard.core.estate.membership import MembershipGraph, TurnedLinks
from adzeguard.store.kept_columns import Checked, grown

_LINKS: Final = ("nested", "people", "primary", "containing", "listing", "primary_of")
NAMES_OF_GRAPH: Final = (
    "group_ids",
    "security",
    *(f"{links}.{part}" for links in _LINKS for part in ("starts", "targets")),
)
_NONE: Final = np.empty(0, np.int32)
_MANY: Final = 50_000


class GroupRow(NamedTuple):
    """A group as it is now: whether it gives access, and whom it holds, as sorted ids."""

    security: bool
    nested: Ids
    people: Ids
    primary: Ids


class KeptLinks(Links):
    """Links of which only the rows that are asked for are read."""

    _columns: Checked
    _name: str

    def __init__(self, columns: Checked, name: str) -> None:
        object.__setattr__(self, "_columns", columns)
        object.__setattr__(self, "_name", name)

    @property
    def starts(self) -> NDArray[np.int64]:
        """Where each row begins, all of them."""
        return self._columns.whole(f"{self._name}.starts").astype(np.int64)

    @property
    def targets(self) -> Ids:
        """The numbers of all rows."""
        return self._columns.whole(f"{self._name}.targets")

    @property
    def rows(self) -> int:
        """How many rows there are."""
        return self._columns.length(f"{self._name}.starts") - 1

    def row(self, index: int) -> Ids:
        """Return the numbers of one row; none of a row that there is not."""
        if not 0 <= index < self.rows:
            return _NONE
        begin, end = self._columns.stretch(f"{self._name}.starts", index, index + 2).tolist()
        return self._columns.stretch(f"{self._name}.targets", begin, end)

    def gather(self, rows: NDArray[np.integer]) -> tuple[Ids, NDArray[np.int64]]:
        """Return the numbers of many rows in a run, and for each number which of the `rows` it came from."""
        rows = np.asarray(rows)
        starts = self._columns.read(f"{self._name}.starts", rows, rows + 2)
        begins, ends = starts[rows].astype(np.int64), starts[rows + 1].astype(np.int64)
        return gathered(self._columns.read(f"{self._name}.targets", begins, ends), begins, ends)


def columns_of_graph(graph: MembershipGraph) -> dict[str, NDArray[Any]]:
    """Return the columns of a graph."""
    turned = graph.turned
    links = (graph.nested, graph.people, graph.primary, turned.containing, turned.listing, turned.primary)
    columns: dict[str, NDArray[Any]] = {
        "group_ids": graph.group_ids.astype("<i4", copy=False),
        "security": graph.security.astype("u1"),
    }
    for name, one in zip(_LINKS, links, strict=True):
        # Half the bytes, since four thousand million memberships are not reached.
        columns[f"{name}.starts"] = one.starts.astype("<u4")
        columns[f"{name}.targets"] = np.ascontiguousarray(one.targets.astype("<i4", copy=False))
    return columns


def graph_of(columns: Checked, size: int) -> MembershipGraph:
    """Return the graph that columns hold, among so many ids."""
    nested, people, primary, containing, listing, primary_of = (KeptLinks(columns, name) for name in _LINKS)
    return MembershipGraph(
        size,
        columns.whole("group_ids"),
        columns.whole("security").astype(bool),
        nested,
        people,
        primary,
        TurnedLinks(containing, listing, primary_of),
    )


def brought_on(before: MembershipGraph, size: int, changed: Mapping[int, GroupRow | None]) -> MembershipGraph:
    """Return the graph as it is after these groups have changed, are new, or are gone (None); `size` counts the ids.

    `ValueError` where a group that is gone is held by one that has not changed.
    """
    groups = {group: row for group, row in changed.items() if row is not None}
    gone = [group for group, row in changed.items() if row is None]
    group_ids = np.union1d(np.setdiff1d(before.group_ids, gone), list(groups)).astype(np.int32)
    moved = _Moved(before.group_ids, group_ids)
    security = moved.rows(before.security, False)
    for group, row in groups.items():
        security[moved.position(group)] = row.security
    old = {group: _row_of(before, group) for group in changed}

    def forward(links: Links, of: str, *, to_groups: bool = False) -> Links:
        cleared = _with(links, {p: _NONE for group in changed if (p := before.position_of(group)) is not None})
        runs = {moved.position(group): getattr(row, of) for group, row in groups.items()}
        if to_groups:
            cleared = Links(cleared.starts, moved.targets(cleared.targets))
            runs = {row: moved.positions(run) for row, run in runs.items()}
        return _with(moved.links(cleared), runs)

    def backward(links: Links, of: str, *, of_groups: bool = False) -> Links:
        joined = _joined_and_left(old, changed, of)
        runs: dict[int, set[int]] = {}
        for member, (joins, leaves) in joined.items():
            place = before.position_of(member) if of_groups else member
            held = set(before.group_ids[links.row(place)].tolist()) if place is not None else set()
            runs[member] = (held - leaves) | joins
        if of_groups:
            cleared = _with(links, {p: _NONE for member in runs if (p := before.position_of(member)) is not None})
            links = moved.links(Links(cleared.starts, moved.targets(cleared.targets)))
            # Who is gone has left all groups that held it.
            places = {moved.position(m): moved.positions(list(run)) for m, run in runs.items() if moved.has(m)}
        else:
            starts = links.starts
            cleared = _with(Links(grown(starts, size + 1, int(starts[-1])), links.targets), dict.fromkeys(runs, _NONE))
            links = Links(cleared.starts, moved.targets(cleared.targets))
            places = {member: moved.positions(list(run)) for member, run in runs.items()}
        return _with(links, places)

    nested = forward(before.nested, "nested", to_groups=True)
    people, primary = forward(before.people, "people"), forward(before.primary, "primary")
    turned = None
    if sum(len(row.people) + len(row.primary) for row in old.values()) < _MANY:
        turned = TurnedLinks(
            backward(before.turned.containing, "nested", of_groups=True),
            backward(before.turned.listing, "people"),
            backward(before.turned.primary, "primary"),
        )
    return MembershipGraph(size, group_ids, security, nested, people, primary, turned)


class _Moved:
    """Where the groups stood and stand now."""

    def __init__(self, before: Ids, now: Ids) -> None:
        self._now = now
        self._same = np.array_equal(before, now)
        places = np.searchsorted(now, before)
        places[places == len(now)] = 0
        stays = now[places] == before if len(now) else np.zeros(len(before), bool)
        self._gone = np.flatnonzero(~stays)
        self._place = np.where(stays, places, -1).astype(np.int32)
        self._fresh = np.searchsorted(before[stays], np.setdiff1d(now, before))

    def has(self, group: int) -> bool:
        place = int(np.searchsorted(self._now, group))
        return place < len(self._now) and self._now[place] == group

    def position(self, group: int) -> int:
        return int(np.searchsorted(self._now, group))

    def positions(self, groups: Iterable[int]) -> Ids:
        wanted = np.sort(np.fromiter(groups, np.int32))
        places = np.searchsorted(self._now, wanted)
        if len(wanted) and (places.max() >= len(self._now) or (self._now[places] != wanted).any()):
            raise ValueError("a group holds one that is none")
        return places.astype(np.int32)

    def targets(self, positions: Ids) -> Ids:
        """Return where groups stand now that stood at these positions."""
        if self._same:
            return positions
        moved = self._place[positions]
        if len(moved) and moved.min() < 0:
            raise ValueError("a group that is gone is held by one that has not changed")
        return moved

    def rows(self, values: NDArray[Any], empty: Any) -> NDArray[Any]:
        return np.insert(np.delete(values, self._gone), self._fresh, empty)

    def links(self, links: Links) -> Links:
        """Return links without the rows of groups that are gone, empty ones already, and with empty ones of the new."""
        if self._same:
            return links
        starts = np.delete(links.starts, self._gone)
        return Links(np.insert(starts, self._fresh, starts[self._fresh]), links.targets)


def _row_of(graph: MembershipGraph, group: int) -> GroupRow:
    place = graph.position_of(group)
    if place is None:
        return GroupRow(False, _NONE, _NONE, _NONE)
    nested = graph.group_ids[graph.nested.row(place)]
    return GroupRow(bool(graph.security[place]), nested, graph.people.row(place), graph.primary.row(place))


def _joined_and_left(
    old: Mapping[int, GroupRow], changed: Mapping[int, GroupRow | None], of: str
) -> dict[int, tuple[set[int], set[int]]]:
    """Return by member the groups that they have come into, and those that they are out of."""
    found: dict[int, tuple[set[int], set[int]]] = {}
    for group, row in changed.items():
        was = set(getattr(old[group], of).tolist())
        now = set(getattr(row, of).tolist()) if row is not None else set()
        for member in now - was:
            found.setdefault(member, (set(), set()))[0].add(group)
        for member in was - now:
            found.setdefault(member, (set(), set()))[1].add(group)
    return found


def _with(links: Links, runs: Mapping[int, Ids]) -> Links:
    return Links(*spliced(links.starts, links.targets, runs)) if runs else links
