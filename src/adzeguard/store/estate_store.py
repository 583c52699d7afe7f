"""Keeps the estate: what was collected, since when it holds, and what holds now."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from hashlib import blake2b
from typing import Any, Final

import numpy as np
from sqlalchemy import ColumnElement, Connection, func, insert, select

from adzeguard.core.assembly import Assembled
from adzeguard.core.errors import NothingCollectedError, UnknownNameError
from adzeguard.core.estate import Domain, Estate, Host
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.lazily import Lazily
from adzeguard.core.links import Links
from adzeguard.core.membership import MembershipGraph
from adzeguard.core.objects import ObjectRow
from adzeguard.store import schema
from adzeguard.store.catalogue import StoredCatalogue, text_hash, valid_at
from adzeguard.store.database import Database, raw_cursor
from adzeguard.store.host_states import pack_state, unpack_state

_INSERT_OBJECT: Final = (
    "INSERT INTO object (id, since, until, key, kind, flags, authority, rid, primary_rid, name, name_hash, dn, dn_hash,"
    " created, last_logon, password_set, expires, descriptor, details)"
    " VALUES (?, ?, NULL, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)
_READ_OBJECTS: Final = (
    "SELECT id, key, kind, flags, authority, rid, primary_rid, name, name_hash, dn, dn_hash,"
    " created, last_logon, password_set, expires, descriptor, details FROM object WHERE until IS NULL"
)
_INSERT_MEMBERSHIP: Final = (
    "INSERT INTO membership (group_id, since, until, security, nested, people, primaries)"
    " VALUES (?, ?, NULL, ?, ?, ?, ?)"
)
_READ_MEMBERSHIPS: Final = "SELECT group_id, security, nested, people, primaries FROM membership WHERE until IS NULL"
_INSERT_HOST: Final = "INSERT INTO host (id, since, until, trouble, state) VALUES (?, ?, NULL, ?, ?)"


@dataclass(frozen=True, slots=True)
class CollectionFacts:
    """What is known of a collection besides its content."""

    kind: str
    started: datetime
    finished: datetime
    source: str
    domain: Domain
    invocation_id: str = ""
    highest_usn: int = 0


@dataclass(frozen=True, slots=True)
class StoredCollection:
    """A collection in the store."""

    id: int
    facts: CollectionFacts


@dataclass(frozen=True, slots=True)
class Written:
    """How many rows a collection changed in the store."""

    collection: int
    objects: int = 0
    groups: int = 0
    hosts: int = 0


class EstateStore:
    """Reads and writes collections. Each is written whole, or not at all."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def ids_for(self, keys: Sequence[bytes]) -> list[int]:
        """Return a number for each object by its key: the one it always had, or a new one."""
        with self._database.reading() as connection:
            cursor = raw_cursor(connection)
            known = dict(cursor.execute("SELECT key, id FROM object").fetchall())
        following = max(known.values(), default=-1) + 1
        ids = []
        for key in keys:
            if key not in known:
                known[key] = following
                following += 1
            ids.append(known[key])
        return ids

    def write(self, facts: CollectionFacts, assembled: Assembled, hosts: Iterable[Host]) -> Written:
        """Store a whole collection: only what differs from what holds now becomes rows."""
        digest = (assembled.objects.digest() + assembled.graph.digest()).hex()
        with self._database.writing() as connection:
            before = connection.scalar(select(schema.about.c.value).where(schema.about.c.name == "digest"))
            number = _begin(connection, facts)
            cursor = raw_cursor(connection)
            objects = groups = 0
            if digest != before:
                objects = _write_objects(cursor, number, assembled.objects.all_rows())
                groups = _write_memberships(cursor, number, assembled.graph)
                cursor.execute("INSERT OR REPLACE INTO about (name, value) VALUES ('digest', ?)", (digest,))
            hosts_changed = _write_hosts(cursor, number, hosts, whole=True)
        return Written(number, objects, groups, hosts_changed)

    def write_parts(
        self,
        facts: CollectionFacts,
        members: Mapping[int, Iterable[int]],
        primary_groups: Mapping[int, int],
        hosts: Iterable[Host],
    ) -> Written:
        """Store what was read again of a few: the direct members of groups, primary groups of accounts, hosts.

        `members` are ids by group, `primary_groups` the relative identifier by account.
        """
        graph = self.load_graph()
        with self._database.writing() as connection:
            number = _begin(connection, facts)
            cursor = raw_cursor(connection)
            cursor.execute("DELETE FROM about WHERE name = 'digest'")
            moved = _move_primaries(cursor, number, primary_groups)
            changed = _changed_memberships(graph, members, moved)
            _replace(cursor, "membership", "group_id", number, changed)
            cursor.executemany(_INSERT_MEMBERSHIP, [(i, number, *row) for i, row in changed.items()])
            hosts_changed = _write_hosts(cursor, number, hosts, whole=False)
        return Written(number, len(primary_groups), len(changed), hosts_changed)

    def latest(self) -> StoredCollection:
        """Return the last collection; `NothingCollectedError` before the first."""
        found = self._collection_where(schema.collection.c.id > 0)
        if found is None:
            raise NothingCollectedError
        return found

    def at(self, moment: datetime) -> StoredCollection:
        """Return the collection that was the last one at a moment; `UnknownNameError` before the first."""
        found = self._collection_where(schema.collection.c.finished <= moment.timestamp())
        if found is None:
            raise UnknownNameError(
                f"nothing had been collected by {moment:%Y-%m-%d %H:%M}",
                f"The first was {self.first_moment():%Y-%m-%d %H:%M} UTC",
            )
        return found

    def last_full(self) -> StoredCollection | None:
        """Return the last collection that read the directory, not only what an apply had touched."""
        return self._collection_where(schema.collection.c.kind != "apply")

    def first_moment(self) -> datetime:
        """Return when the first collection was finished."""
        first = self._collection_where(schema.collection.c.id == 1)
        return (first or self.latest()).facts.finished

    def _collection_where(self, condition: ColumnElement[bool]) -> StoredCollection | None:
        table = schema.collection
        with self._database.reading() as connection:
            row = connection.execute(select(table).where(condition).order_by(table.c.id.desc()).limit(1)).first()
        if row is None:
            return None
        domain = Domain(row.base_dn, row.dns_name, row.short_name, Sid(row.domain_sid))
        started, finished = datetime.fromtimestamp(row.started, UTC), datetime.fromtimestamp(row.finished, UTC)
        facts = CollectionFacts(row.kind, started, finished, row.source, domain, row.invocation_id, row.highest_usn)
        return StoredCollection(row.id, facts)

    def load(self, moment: datetime | None = None) -> Estate:
        """Return the estate as it stands now, or stood at a moment; objects and hosts are fetched when looked at."""
        stored = self.latest() if moment is None else self.at(moment)
        collection = None if moment is None else stored.id
        catalogue = StoredCatalogue(self._database, stored.facts.domain, collection)
        hosts = Lazily(lambda: self.load_hosts(collection))
        return Estate(stored.facts.finished, stored.facts.domain, catalogue, self.load_graph(collection), hosts)

    def load_graph(self, collection: int | None = None) -> MembershipGraph:
        """Return all memberships, as they are now or were after a collection."""
        with self._database.reading() as connection:
            size = int(connection.scalar(select(func.coalesce(func.max(schema.object_row.c.id), -1))) or 0) + 1
            query = _READ_MEMBERSHIPS.replace("until IS NULL", valid_at(collection))
            rows = raw_cursor(connection).execute(f"{query} ORDER BY group_id").fetchall()
        ids, security, nested, people, primaries = zip(*rows, strict=True) if rows else ((), (), (), (), ())
        group_ids = np.array(ids, np.int32)
        inside = Links.of_blobs(nested)
        positions = np.searchsorted(group_ids, inside.targets).astype(np.int32)
        return MembershipGraph(
            size,
            group_ids,
            np.array(security, bool),
            Links(inside.starts, positions),
            Links.of_blobs(people),
            Links.of_blobs(primaries),
        )

    def load_hosts(self, collection: int | None = None) -> list[Host]:
        """Return all hosts with the state last read of each, now or after a collection."""
        valid = valid_at(collection)
        query = (
            "SELECT o.id, o.name, o.dn, h.trouble, h.state"  # noqa: S608 - our own words and a number
            f" FROM (SELECT * FROM host WHERE {valid}) h JOIN (SELECT * FROM object WHERE {valid}) o ON o.id = h.id"
            " ORDER BY o.name"
        )
        with self._database.reading() as connection:
            rows = raw_cursor(connection).execute(query).fetchall()
        return [
            Host(i, name, dn, unpack_state(state) if state else None, trouble) for i, name, dn, trouble, state in rows
        ]


def _begin(connection: Connection, facts: CollectionFacts) -> int:
    domain = facts.domain
    result = connection.execute(
        insert(schema.collection).values(
            kind=facts.kind,
            started=facts.started.timestamp(),
            finished=facts.finished.timestamp(),
            source=facts.source,
            base_dn=domain.base_dn,
            dns_name=domain.dns_name,
            short_name=domain.short_name,
            domain_sid=domain.sid,
            invocation_id=facts.invocation_id,
            highest_usn=facts.highest_usn,
        )
    )
    key = result.inserted_primary_key
    assert key is not None  # noqa: S101 - the table has one
    return int(key[0])


def _write_objects(cursor: Any, number: int, rows: Iterable[tuple[int, ObjectRow]]) -> int:
    standing = {row[0]: row[1:] for row in cursor.execute(_READ_OBJECTS).fetchall()}
    packer = _RowPacker(cursor)
    changed: list[int] = []
    seen: set[int] = set()

    def fresh() -> Iterator[tuple[Any, ...]]:
        for object_id, row in rows:
            packed = packer.pack(row)
            if standing:
                seen.add(object_id)
                if standing.get(object_id) == packed:
                    continue
                if object_id in standing:
                    changed.append(object_id)
            yield (object_id, number, *packed)

    new_rows = list(fresh())
    packer.write_new()
    gone = standing.keys() - seen if standing else set()
    cursor.executemany(
        "UPDATE object SET until = ? WHERE id = ? AND until IS NULL", [(number, i) for i in (*changed, *gone)]
    )
    cursor.executemany(_INSERT_OBJECT, new_rows)
    return len(new_rows) + len(gone)


class _RowPacker:
    """Turns rows into what the table holds, gathering authorities and descriptors that it does not know yet."""

    def __init__(self, cursor: Any) -> None:
        self._cursor = cursor
        self._authorities = {text: i for i, text in cursor.execute("SELECT id, text FROM authority")}
        self._known_authorities = len(self._authorities)
        self._descriptors: dict[bytes, bytes] = {}

    def pack(self, row: ObjectRow) -> tuple[Any, ...]:
        authority, rid = None, None
        if row.sid:
            text, _, number = row.sid.rpartition("-")
            authority, rid = self._authorities.setdefault(text, len(self._authorities) + 1), int(number)
        key = None
        if row.descriptor:
            key = self._descriptors.get(row.descriptor)
            if key is None:
                key = self._descriptors[row.descriptor] = blake2b(row.descriptor, digest_size=16).digest()
        return (
            row.key, row.kind, row.flags, authority, rid, row.primary_group_rid, row.name,
            text_hash(row.name.casefold()),
            row.dn, text_hash(fold_dn(row.dn)), row.created, row.last_logon, row.password_set, row.expires, key,
            row.details,
        )  # fmt: skip

    def write_new(self) -> None:
        new = [(i, text) for text, i in self._authorities.items() if i > self._known_authorities]
        self._cursor.executemany("INSERT INTO authority (id, text) VALUES (?, ?)", new)
        known = [(key, data) for data, key in self._descriptors.items()]
        self._cursor.executemany("INSERT OR IGNORE INTO descriptor (key, data) VALUES (?, ?)", known)


_Membership = tuple[int, bytes, bytes, bytes]


def _write_memberships(cursor: Any, number: int, graph: MembershipGraph) -> int:
    standing = {row[0]: row[1:] for row in cursor.execute(_READ_MEMBERSHIPS).fetchall()}
    nested = Links(graph.nested.starts, graph.group_ids[graph.nested.targets])
    changed: dict[int, _Membership] = {}
    for row, group in enumerate(graph.group_ids.tolist()):
        packed = (int(graph.security[row]), nested.blob(row), graph.people.blob(row), graph.primary.blob(row))
        if standing.pop(group, None) != packed:
            changed[group] = packed
    _replace(cursor, "membership", "group_id", number, {**changed, **standing})
    cursor.executemany(_INSERT_MEMBERSHIP, [(i, number, *row) for i, row in changed.items()])
    return len(changed) + len(standing)


def _replace(cursor: Any, table: str, key: str, number: int, ended: Iterable[int]) -> None:
    query = f"UPDATE {table} SET until = ? WHERE {key} = ? AND until IS NULL"  # noqa: S608 - our own names
    cursor.executemany(query, [(number, i) for i in ended])


def _write_hosts(cursor: Any, number: int, hosts: Iterable[Host], *, whole: bool) -> int:
    standing = {i: row for i, *row in cursor.execute("SELECT id, trouble, state FROM host WHERE until IS NULL")}
    changed: list[tuple[int, int, str, str]] = []
    seen: set[int] = set()
    for host in hosts:
        seen.add(host.id)
        packed = [host.trouble, pack_state(host.state) if host.state else ""]
        if standing.get(host.id) != packed:
            changed.append((host.id, number, packed[0], packed[1]))
    gone = [i for i in standing if i not in seen] if whole else []
    _replace(cursor, "host", "id", number, [*(row[0] for row in changed), *gone])
    cursor.executemany(_INSERT_HOST, changed)
    return len(changed) + len(gone)


def _move_primaries(
    cursor: Any, number: int, primary_groups: Mapping[int, int]
) -> dict[int, tuple[set[int], set[int]]]:
    """Give accounts another primary group; return for each group who came and who went."""
    moved: dict[int, tuple[set[int], set[int]]] = {}
    columns = _READ_OBJECTS.removesuffix(" WHERE until IS NULL")
    for account, rid in primary_groups.items():
        row = cursor.execute(f"{columns} WHERE until IS NULL AND id = ?", (account,)).fetchone()
        if row is None or row[6] == rid:
            continue
        for side, group_rid in enumerate((rid, row[6])):
            query = "SELECT id FROM object WHERE until IS NULL AND authority = ? AND rid = ?"
            group = cursor.execute(query, (row[4], group_rid)).fetchone()
            if group is not None:
                moved.setdefault(group[0], (set(), set()))[side].add(account)
        _replace(cursor, "object", "id", number, [account])
        cursor.execute(_INSERT_OBJECT, (account, number, *row[1:6], rid, *row[7:]))
    return moved


def _changed_memberships(
    graph: MembershipGraph,
    members: Mapping[int, Iterable[int]],
    moved: Mapping[int, tuple[set[int], set[int]]],
) -> dict[int, _Membership]:
    changed: dict[int, _Membership] = {}
    for group in {*members, *moved}:
        row = graph.position_of(group)
        if row is None:
            continue
        listed = np.unique(np.fromiter(members.get(group, graph.direct_members(group).tolist()), np.int32))
        is_group = np.isin(listed, graph.group_ids)
        came, went = moved.get(group, (set(), set()))
        primaries = (set(graph.primary.row(row).tolist()) | came) - went
        packed = (
            int(graph.security[row]), listed[is_group].astype("<i4").tobytes(),
            listed[~is_group].astype("<i4").tobytes(),
            np.array(sorted(primaries), "<i4").tobytes(),
        )  # fmt: skip
        nested = graph.group_ids[graph.nested.row(row)].astype("<i4").tobytes()
        if packed != (int(graph.security[row]), nested, graph.people.blob(row), graph.primary.blob(row)):
            changed[group] = packed
    return changed
