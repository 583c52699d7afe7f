"""Keeps the estate: what was collected, since when it holds, and what holds now."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy import ColumnElement, Connection, func, insert, select

from adzeguard.core.errors import NothingCollectedError, UnknownNameError
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.links import Links
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.principal import Kind
from adzeguard.core.estate.rows import ObjectRow, Observed
from adzeguard.core.identity import Sid
from adzeguard.store import schema
from adzeguard.store.catalogue import StoredCatalogue, valid_at
from adzeguard.store.database import Database, raw_cursor
from adzeguard.store.host_states import unpack_state
from adzeguard.store.lazy_sequence import LazySequence
from adzeguard.store.partial import PartialWrite
from adzeguard.store.rows import (
    INSERT_MEMBERSHIP,
    INSERT_OBJECT,
    READ_MEMBERSHIPS,
    READ_OBJECTS,
    Membership,
    RowPacker,
    end_rows,
    write_hosts,
)


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
            hosts_changed = write_hosts(cursor, number, hosts, whole=True)
        return Written(number, objects, groups, hosts_changed)

    def write_observed(
        self,
        facts: CollectionFacts,
        observed: Sequence[Observed],
        hosts: Iterable[Host],
        *,
        removed: Iterable[bytes] = (),
        all_hosts: bool = False,
    ) -> Written:
        """Store what was read again of some objects, and which are gone; everything else goes on holding.

        `removed` are keys. `all_hosts` says that hosts which are not given are looked after no more.
        """
        latest = self.latest().facts.domain
        ids = self.ids_for([seen.row.key for seen in observed])
        gone = self.ids_of(removed)
        partial = PartialWrite(StoredCatalogue(self._database, latest), self.load_graph(), observed, ids, gone)
        with self._database.writing() as connection:
            number = _begin(connection, facts)
            cursor = raw_cursor(connection)
            cursor.execute("DELETE FROM about WHERE name = 'digest'")
            objects, groups = partial.write(cursor, number)
            hosts_changed = write_hosts(cursor, number, hosts, whole=all_hosts)
        return Written(number, objects, groups, hosts_changed)

    def altered_containers(self, observed: Sequence[Observed]) -> list[str]:
        """Return the names of containers among them that stand elsewhere, or under other rights, than the store has.

        What lies below such a container has changed without saying so: its name, or its inherited rights.
        """
        ids = self.ids_for([seen.row.key for seen in observed])
        found = []
        with self._database.reading() as connection:
            cursor = raw_cursor(connection)
            packer = RowPacker(cursor)
            for seen, object_id in zip(observed, ids, strict=True):
                if seen.row.kind in (Kind.OU, Kind.CONTAINER, Kind.DOMAIN):
                    standing = cursor.execute(f"{READ_OBJECTS} AND id = ?", (object_id,)).fetchone()
                    packed = packer.pack(seen.row)
                    if standing is not None and (standing[9], standing[15]) != (packed[8], packed[14]):
                        found.append(seen.row.dn)
        return found

    def computers(self) -> list[Host]:
        """Return every computer of the directory, as a host of which nothing is read yet."""
        query = "SELECT id, name, dn FROM object WHERE until IS NULL AND kind = ?"
        with self._database.reading() as connection:
            rows = raw_cursor(connection).execute(query, (int(Kind.COMPUTER),)).fetchall()
        return [Host(i, name, dn) for i, name, dn in rows]

    def ids_of(self, keys: Iterable[bytes]) -> list[int]:
        """Return the ids of the objects with these keys, less those that are not known."""
        with self._database.reading() as connection:
            cursor = raw_cursor(connection)
            query = "SELECT id FROM object WHERE until IS NULL AND key = ?"
            rows = [cursor.execute(query, (key,)).fetchone() for key in keys]
        return [row[0] for row in rows if row is not None]

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
        """Return the last collection that read the directory, not only what an enactment had touched."""
        return self._collection_where(schema.collection.c.kind != "enactment")

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
        hosts = LazySequence(lambda: self.load_hosts(collection))
        return Estate(stored.facts.finished, stored.facts.domain, catalogue, self.load_graph(collection), hosts)

    def load_graph(self, collection: int | None = None) -> MembershipGraph:
        """Return all memberships, as they are now or were after a collection."""
        with self._database.reading() as connection:
            size = int(connection.scalar(select(func.coalesce(func.max(schema.object_row.c.id), -1))) or 0) + 1
            query = READ_MEMBERSHIPS.replace("until IS NULL", valid_at(collection))
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
    standing = {row[0]: row[1:] for row in cursor.execute(READ_OBJECTS).fetchall()}
    packer = RowPacker(cursor)
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
    cursor.executemany(INSERT_OBJECT, new_rows)
    return len(new_rows) + len(gone)


def _write_memberships(cursor: Any, number: int, graph: MembershipGraph) -> int:
    standing = {row[0]: row[1:] for row in cursor.execute(READ_MEMBERSHIPS).fetchall()}
    nested = Links(graph.nested.starts, graph.group_ids[graph.nested.targets])
    changed: dict[int, Membership] = {}
    for row, group in enumerate(graph.group_ids.tolist()):
        packed = (int(graph.security[row]), nested.blob(row), graph.people.blob(row), graph.primary.blob(row))
        if standing.pop(group, None) != packed:
            changed[group] = packed
    end_rows(cursor, "membership", "group_id", number, {**changed, **standing})
    cursor.executemany(INSERT_MEMBERSHIP, [(i, number, *row) for i, row in changed.items()])
    return len(changed) + len(standing)
