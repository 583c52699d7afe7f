"""The rows of objects: what holds now, what is written anew, and what has ended."""

from collections.abc import Iterable, Iterator
from itertools import compress

from adzeguard.core.estate.objects import Objects
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import sid_of_dn
from adzeguard.store.batches import among, batched
from adzeguard.store.columns import INSERT, READ, Known, descriptor_key, packed, place_of
from adzeguard.store.connection import Connection, Row
from adzeguard.store.migrations import FIRST_INDEXES, OBJECT_INDEXES_OF_FORM_TWO, detail_indexes, prefix_index

_INDEXES = FIRST_INDEXES | OBJECT_INDEXES_OF_FORM_TWO


def known_in(connection: Connection, objects: Objects) -> Known:
    """Return the store's numbers and keys for what these objects share, and write those met for the first time."""
    numbers = {text: number for number, text in connection.rows("SELECT id, text FROM authority")}
    fresh = [text for text in objects.authority_names if text not in numbers]
    numbers |= {text: len(numbers) + place for place, text in enumerate(fresh, 1)}
    connection.run_many("INSERT INTO authority (id, text) VALUES (?, ?)", [(numbers[text], text) for text in fresh])
    keys = [descriptor_key(data) for data in objects.descriptor_bytes]
    connection.run_many(
        'INSERT INTO descriptor ("key", data) VALUES (?, ?) ON CONFLICT ("key") DO NOTHING',
        zip(keys, objects.descriptor_bytes, strict=True),
    )
    return Known([numbers[text] for text in objects.authority_names], keys)


def write_whole(connection: Connection, number: int, objects: Objects) -> tuple[int, list[str]]:
    """Write what differs from what holds now, and end what is not there.

    Return how many rows changed, and the names of what is not there any more.
    """
    before = {row[0]: row[1:] for row in connection.rows(READ)}
    known = known_in(connection, objects)
    if not before:
        return _write_first(connection, number, objects, known), []
    present = zip(range(objects.size), objects.kinds.tolist(), packed(objects, known), strict=True)
    fresh: list[Row] = []
    ended: list[int] = []
    gone = set(before)
    for object_id, kind, row in present:
        if kind == Kind.ABSENT:
            continue
        gone.discard(object_id)
        if before.get(object_id) != row:
            fresh.append((object_id, number, *row))
            ended += [object_id] if object_id in before else []
    end_rows(connection, "object", "id", number, [*ended, *gone])
    connection.run_many(INSERT, fresh)
    names = (str(before[i][place_of("dn")]) for i in gone)
    # Whom rights of another domain named has no object that could be deleted.
    return len(fresh) + len(gone), sorted(dn for dn in names if not sid_of_dn(dn))


def _write_first(connection: Connection, number: int, objects: Objects, known: Known) -> int:
    """Write into an empty table. An index that is filled row by row takes longer than one that is made at the end."""
    rows = packed(objects, known, range(objects.size), [number] * objects.size)
    present = objects.kinds != Kind.ABSENT
    indexes = _INDEXES | detail_indexes(connection) | prefix_index(connection)
    for name in indexes:
        connection.run(f"DROP INDEX {name}")
    connection.run_many(INSERT, compress(rows, present.tolist()))
    for name, words in indexes.items():
        connection.run(f"CREATE INDEX {name} ON {words}")
    return int(present.sum())


def end_rows(connection: Connection, table: str, key: str, number: int, ended: Iterable[int]) -> None:
    """Say of rows that hold now that they hold until before this collection."""
    query = f"UPDATE {table} SET until = ? WHERE {key} = ? AND until IS NULL"
    connection.run_many(query, [(number, i) for i in ended])


def write_seen_deleted(connection: Connection, sids: Iterable[str]) -> None:
    """Note SIDs that were seen deleted."""
    query = "INSERT INTO seen_deleted (sid) VALUES (?) ON CONFLICT (sid) DO NOTHING"
    connection.run_many(query, [(sid,) for sid in sids])


def sids_of_ids(connection: Connection, ids: Iterable[int]) -> Iterator[str]:
    """Yield the SIDs of objects, also of those that are gone."""
    for some in batched(sorted(ids)):
        query = (
            "SELECT DISTINCT a.text, o.rid FROM object o JOIN authority a ON a.id = o.authority"
            f" WHERE {among('o.id', len(some))}"
        )
        yield from (f"{authority}-{rid}" for authority, rid in connection.rows(query, some))
