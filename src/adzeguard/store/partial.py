"""Writes what was read again of some objects, keeping the memberships of all others right."""

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from adzeguard.core.estate.catalogue import Catalogue, Domain
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.objects import Objects
from adzeguard.core.estate.principal import Flag
from adzeguard.core.estate.rows import Observed
from adzeguard.core.identity import fold_dn
from adzeguard.store.columns import INSERT, READ, packed, place_of
from adzeguard.store.connection import Connection, one
from adzeguard.store.memberships import INSERT as INSERT_MEMBERSHIP
from adzeguard.store.memberships import Membership
from adzeguard.store.objects import end_rows, known_in


class PartialWrite:
    """Some objects as they are now, and the ids of those that are gone."""

    def __init__(
        self,
        catalogue: Catalogue,
        graph: MembershipGraph,
        domain: Domain,
        observed: Sequence[Observed],
        ids: Sequence[int],
        gone: Iterable[int],
        replaced: Mapping[int, int] | None = None,
    ) -> None:
        """`replaced` are those among the gone that another object of the same SID stands for now, and that one."""
        self._catalogue = catalogue
        self._graph = graph
        self._domain = domain
        self._observed = observed
        self._ids = ids
        self._replaced = dict(replaced or {})
        self._gone = set(gone) | self._replaced.keys()
        self._listed: dict[int, set[int]] = {}
        self._primaries: dict[int, set[int]] = {}
        self._security = {int(g): bool(s) for g, s in zip(graph.group_ids, graph.security, strict=True)}

    def write(self, connection: Connection, number: int) -> tuple[int, int]:
        """Write the rows that differ; return how many objects and how many memberships."""
        objects = self._write_objects(connection, number)
        self._join_members()
        for gone in self._gone:
            self._forget(gone)
        changed = self._changed_memberships()
        ended = [*changed, *(self._gone & self._security.keys())]
        end_rows(connection, "membership", "group_id", number, ended)
        connection.run_many(INSERT_MEMBERSHIP, [(i, number, *row) for i, row in changed.items()])
        return objects, len(ended)

    def _write_objects(self, connection: Connection, number: int) -> int:
        objects = Objects.of_rows([seen.row for seen in self._observed], self._domain)
        rows = packed(objects, known_in(connection, objects))
        fresh, ended = [], [*self._gone]
        for seen, object_id, row in zip(self._observed, self._ids, rows, strict=True):
            stored = one(connection, f"{READ} AND id = ?", (object_id,))
            before = stored[1:] if stored else None
            former = before[place_of("primary_rid")] if before else 0
            if former != seen.row.primary_group_rid:
                self._move_primary(seen, object_id, former)
            if before != row:
                fresh.append((object_id, number, *row))
                ended += [object_id] if before else []
        end_rows(connection, "object", "id", number, ended)
        connection.run_many(INSERT, fresh)
        return len(fresh) + len(self._gone)

    def _move_primary(self, seen: Observed, account: int, before: int) -> None:
        domain = seen.row.sid.rpartition("-")[0]
        in_batch = {s.row.sid: i for s, i in zip(self._observed, self._ids, strict=True) if s.row.sid}
        sids = {rid: f"{domain}-{rid}" for rid in (before, seen.row.primary_group_rid) if rid}
        stored = self._catalogue.by_sids(sids.values())
        for rid, sid in sids.items():
            group = in_batch.get(sid, stored.get(sid))
            if group is not None:
                members = self._primaries_of(group)
                members.discard(account) if rid == before else members.add(account)

    def _join_members(self) -> None:
        """Look up the names that groups list: first among what was read again, since objects may have moved."""
        by_dn = {fold_dn(seen.row.dn): i for seen, i in zip(self._observed, self._ids, strict=True)}
        for seen, group in zip(self._observed, self._ids, strict=True):
            if seen.is_group:
                self._security[group] = bool(seen.row.flags & Flag.SECURITY_GROUP)
                self._listed[group] = {i for name in seen.members if (i := self._id(name, by_dn)) is not None}

    def _id(self, name: str, by_dn: dict[str, int]) -> int | None:
        known_id = by_dn.get(fold_dn(name))
        return known_id if known_id is not None else self._catalogue.by_dn(name)

    def _forget(self, gone: int) -> None:
        """A server takes a deleted object out of the groups that listed it, without marking the groups as changed.

        A group that listed a placeholder lists whom that stood for.
        """
        for group in self._graph.groups_listing(gone).tolist():
            if group not in self._listed:
                self._listed[group] = set(self._graph.direct_members(group).tolist())
                self._listed[group] |= {self._replaced[gone]} if gone in self._replaced else set()
        for group in self._graph.primary_groups(gone).tolist():
            self._primaries_of(group)
        for members in (*self._listed.values(), *self._primaries.values()):
            members.discard(gone)

    def _primaries_of(self, group: int) -> set[int]:
        return self._primaries.setdefault(group, set(self._graph.primary_members(group).tolist()))

    def _changed_memberships(self) -> dict[int, Membership]:
        changed: dict[int, Membership] = {}
        for group in (self._listed.keys() | self._primaries.keys()) - self._gone:
            listed = self._listed.get(group, set(self._graph.direct_members(group).tolist()))
            primaries = self._primaries.get(group, set(self._graph.primary_members(group).tolist()))
            packed = _packed(self._security[group], listed, primaries, self._security.keys() - self._gone)
            if packed != self._standing(group):
                changed[group] = packed
        return changed

    def _standing(self, group: int) -> Membership | None:
        row = self._graph.position_of(group)
        if row is None:
            return None
        listed = set(self._graph.direct_members(group).tolist())
        primaries = set(self._graph.primary_members(group).tolist())
        return _packed(bool(self._graph.security[row]), listed, primaries, set(self._graph.group_ids.tolist()))


def _packed(security: bool, listed: set[int], primaries: set[int], groups: set[int]) -> Membership:
    return int(security), _blob(listed & groups), _blob(listed - groups), _blob(primaries)


def _blob(ids: set[int]) -> bytes:
    return np.array(sorted(ids), "<i4").tobytes()
