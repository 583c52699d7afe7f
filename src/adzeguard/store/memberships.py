"""The rows of memberships: one for each group, with its members as runs of numbers."""

from collections.abc import Sequence
from typing import Final

import numpy as np

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.estate.links import Links
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.store.batches import among, batched
from adzeguard.store.connection import Connection
from adzeguard.store.kept_graph import GroupRow
from adzeguard.store.objects import end_rows

Membership = tuple[int, bytes, bytes, bytes]
"""Security, nested groups, others listed, and those whose primary group it is."""
_COLUMNS: Final = "security, nested, people, primaries"
INSERT: Final = f"INSERT INTO membership (group_id, since, {_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?)"


def write_memberships(connection: Connection, number: int, graph: MembershipGraph) -> int:
    """Write the groups that differ from what holds now; return how many."""
    query = f"SELECT group_id, {_COLUMNS} FROM membership WHERE until IS NULL"
    before = {row[0]: row[1:] for row in connection.rows(query)}
    nested = Links(graph.nested.starts, graph.group_ids[graph.nested.targets])
    security = graph.security.astype(int).tolist()
    runs = zip(security, nested.blobs(), graph.people.blobs(), graph.primary.blobs(), strict=True)
    written = zip(graph.group_ids.tolist(), runs, strict=True)
    changed = {group: packed for group, packed in written if before.pop(group, None) != packed}
    end_rows(connection, "membership", "group_id", number, {**changed, **before})
    connection.run_many(INSERT, [(group, number, *row) for group, row in changed.items()])
    return len(changed) + len(before)


def read_graph(connection: Connection, size: int, valid: str) -> MembershipGraph:
    """Return all memberships that hold by a condition."""
    query = f"SELECT group_id, {_COLUMNS} FROM membership WHERE {valid} ORDER BY group_id"
    rows = connection.rows(query)
    # Column by column: turning 200,000 rows round by one call with as many arguments takes a second.
    group_ids = np.fromiter((row[0] for row in rows), np.int32, len(rows))
    security = np.fromiter((row[1] for row in rows), bool, len(rows))
    nested, people, primaries = ([row[place] for row in rows] for place in (2, 3, 4))
    inside, outside, primary = (_links(runs, size) for runs in (nested, people, primaries))
    positions = np.searchsorted(group_ids, inside.targets).astype(np.int32)
    if len(positions) and not (positions.max() < len(group_ids) and (group_ids[positions] == inside.targets).all()):
        raise StoreDamagedError("a group holds one that is none")
    return MembershipGraph(size, group_ids, security, Links(inside.starts, positions), outside, primary)


def read_group_rows(connection: Connection, groups: Sequence[int], valid: str = "until IS NULL") -> dict[int, GroupRow]:
    """Return these groups as they are by a condition; those that are not there are left out."""
    found: dict[int, GroupRow] = {}
    for some in batched(groups):
        query = f"SELECT group_id, {_COLUMNS} FROM membership WHERE {valid} AND {among('group_id', len(some))}"
        for group, security, *runs in connection.rows(query, some):
            found[group] = GroupRow(bool(security), *(np.frombuffer(run, "<i4").astype(np.int32) for run in runs))
    return found


def _links(runs: list[bytes], size: int) -> Links:
    """Return runs of numbers; `StoreDamagedError` where they are no numbers of objects."""
    try:
        links = Links.of_blobs(runs)
    except (ValueError, TypeError) as error:
        raise StoreDamagedError("the members of a group cannot be read") from error
    if len(links.targets) and not (links.targets.min() >= 0 and links.targets.max() < size):
        raise StoreDamagedError("a group has members that are not there")
    return links
