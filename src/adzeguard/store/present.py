"""What holds now, by the kept columns: found, brought on by what has changed since they were written, or made anew."""

from collections.abc import Iterable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.rows import ObjectRow
from adzeguard.core.estate.texts import Texts
from adzeguard.store import kept_columns
from adzeguard.store.batches import among, batched
from adzeguard.store.collections import valid_at
from adzeguard.store.columns import SHOWN, listed, unpacked
from adzeguard.store.connection import Connection, one
from adzeguard.store.kept_columns import Checked, Columns, KeptFile
from adzeguard.store.kept_copy import KeptCopy, last_collection
from adzeguard.store.kept_graph import NAMES_OF_GRAPH, GroupRow, brought_on, columns_of_graph, graph_of
from adzeguard.store.kept_objects import (
    NONE,
    NUMBERS,
    TEXTS,
    columns_of_names,
    columns_of_objects,
    columns_of_texts,
    empty,
    objects_brought_on,
)
from adzeguard.store.memberships import read_graph, read_group_rows

_ROWS_AT_ONCE: Final = 100_000
_FEW: Final = 20
"""One in so many objects may have changed for the columns to be brought on; beyond that they are made anew."""


_NAMES: Final = frozenset(
    [
        *NUMBERS,
        *(f"{texts}.{part}" for texts in TEXTS for part in ("starts", "data")),
        *NAMES_OF_GRAPH,
    ]
)
"""The columns that a file must have, or it is of another form."""


class Present(KeptCopy):
    """The kept columns of objects and memberships."""

    names = _NAMES

    def columns_at(self, number: int) -> Checked | None:
        """Return the columns of what held after an earlier collection; None where too much has changed since."""
        with self._database.reading() as connection:
            now = self.columns()
            objects, groups = _changed(connection, number)
            if not objects and not groups:
                return now
            if len(objects) + len(groups) > now.length("kinds") // _FEW + _FEW:
                return None
            return Checked(_brought_on(connection, now, objects, groups, valid_at(number)))

    def keep(self, whole: Assembled) -> None:
        """Keep what was just written whole. Where little of it was new, what is kept already is brought on."""
        with self._database.reading() as connection:
            number, stamp = last_collection(connection)
            size = size_of(connection)
            kept = self._kept(connection)
            if kept is not None:
                changed = _changed(connection, kept.number)
                if len(changed[0]) + len(changed[1]) <= size // _FEW:
                    self.columns()
                    return
        graph = whole.graph.of_size(size)
        kept_columns.write(self._path, number, stamp, columns_of_objects(whole.objects, size) | columns_of_graph(graph))

    def _read(self, connection: Connection) -> Columns:
        return read_columns(connection)

    def _brought_on(self, connection: Connection, kept: KeptFile, number: int, stamp: str) -> Checked | None:
        objects, groups = _changed(connection, kept.number)
        if not objects and not groups:
            return kept.columns
        if len(objects) + len(groups) > kept.columns.length("kinds") // _FEW + _FEW:
            return None
        return self._written(number, stamp, _brought_on(connection, kept.columns, objects, groups))


def size_of(connection: Connection) -> int:
    """Return one more than the highest id of any object that ever was."""
    last = one(connection, "SELECT coalesce(max(id), -1) FROM object") or (-1,)
    return int(last[0]) + 1


def changed_between(connection: Connection, table: str, key: str, low: int, high: int | None = None) -> list[int]:
    """Return the ids of the rows of a table that came or ended after one collection, and not after another."""
    most = f" AND {{0}} <= {int(high)}" if high is not None else ""
    # The first conditions are those of the indexes, which a first collection leaves empty.
    query = (
        f"SELECT {key} FROM {table} WHERE since > 1 AND since > ?{most.format('since')}"
        f" UNION SELECT {key} FROM {table} WHERE until IS NOT NULL AND until > ?{most.format('until')}"
    )
    return sorted(int(i) for (i,) in connection.rows(query, (low, low)))


def _changed(connection: Connection, number: int) -> tuple[list[int], list[int]]:
    """Return the ids of the objects, and of the groups whose members, have changed since a collection."""
    objects = changed_between(connection, "object", "id", number)
    return objects, changed_between(connection, "membership", "group_id", number)


def _brought_on(
    connection: Connection, before: Checked, objects: list[int], groups: list[int], valid: str = "until IS NULL"
) -> Columns:
    """Return columns with what holds by a condition of these; `StoreDamagedError` if it does not fit."""
    try:
        return _with(connection, before, objects, groups, valid)
    except (LookupError, OverflowError, ValueError, TypeError, AttributeError) as error:
        raise StoreDamagedError("an object of the store cannot be read") from error


def _with(connection: Connection, before: Checked, objects: list[int], groups: list[int], valid: str) -> Columns:
    size = size_of(connection)
    old = before.all()
    rows: dict[int, ObjectRow | None] = dict.fromkeys(objects)
    authorities = _authorities(connection)
    descriptors: dict[int, bytes] = {}
    for *row, descriptor in _rows_of(connection, objects, valid):
        rows[row[0]] = unpacked(tuple(row), authorities)
        if descriptor is not None:
            descriptors[row[0]] = descriptor
    members: dict[int, GroupRow | None] = dict.fromkeys(groups)
    members |= read_group_rows(connection, groups, valid)
    graph = graph_of(before, before.length("kinds"))
    return objects_brought_on(old, size, rows, descriptors) | columns_of_graph(brought_on(graph, size, members))


def _rows_of(connection: Connection, ids: Iterable[int], valid: str) -> Iterable[Any]:
    for some in batched(ids):
        query = f"SELECT {listed((*SHOWN, 'descriptor'))} FROM object WHERE {valid} AND {among('id', len(some))}"
        yield from connection.rows(query, some)


def _authorities(connection: Connection) -> dict[int, str]:
    return {int(number): str(text) for number, text in connection.rows("SELECT id, text FROM authority")}


def read_columns(connection: Connection) -> Columns:
    """Read all columns from the store; `StoreDamagedError` where it holds what cannot stand in them."""
    try:
        return _columns_of_objects(connection) | columns_of_graph(
            read_graph(connection, size_of(connection), valid_at(None))
        )
    except (LookupError, OverflowError, ValueError, TypeError, AttributeError) as error:
        raise StoreDamagedError("an object of the store cannot be read") from error


def _columns_of_objects(connection: Connection) -> dict[str, NDArray[Any]]:
    """Read the columns of the objects, a part of them at a time."""
    size = size_of(connection)
    authorities = _authorities(connection)
    places = {number: place for place, number in enumerate(authorities)}
    keys = [bytes(key) for (key,) in connection.rows("SELECT key FROM descriptor")]
    places_of_keys = {key: place for place, key in enumerate(keys)}
    numbers = {name: np.full(size, empty(name), kind) for name, kind in NUMBERS.items()}
    texts: dict[str, list[Texts]] = {"names": [], "dns": []}
    # In the order of the columns of numbers, and then of the texts.
    query = (
        "SELECT id, kind, flags, primary_rid, authority, rid, descriptor, created, last_logon, password_set, expires,"
        " name, dn FROM object WHERE until IS NULL AND id >= ? AND id < ?"
    )
    for begin in range(0, size, _ROWS_AT_ONCE):
        end = min(begin + _ROWS_AT_ONCE, size)
        rows = connection.rows(query, (begin, end))
        ids = np.fromiter((row[0] for row in rows), np.int64, len(rows))
        for place, name in enumerate(numbers, 1):
            if name == "authorities":
                values = [NONE if row[place] is None else places[row[place]] for row in rows]
            elif name == "descriptors":
                values = [NONE if row[place] is None else places_of_keys[bytes(row[place])] for row in rows]
            else:
                values = [row[place] or 0 for row in rows]
            numbers[name][ids] = values
        for place, name in ((len(numbers) + 1, "names"), (len(numbers) + 2, "dns")):
            held = [""] * (end - begin)
            for row in rows:
                held[row[0] - begin] = row[place]
            texts[name].append(Texts.of(held))
    columns: dict[str, NDArray[Any]] = dict(numbers)
    for name, parts in texts.items():
        columns |= columns_of_texts(name, *_joined(parts), size)
    columns |= columns_of_names("authority_names", authorities.values())
    columns |= columns_of_names("descriptor_keys", (key.hex() for key in keys))
    return columns


def _joined(parts: list[Texts]) -> tuple[NDArray[np.int64], NDArray[np.uint8]]:
    lengths = [np.diff(part.starts) for part in parts]
    starts = np.append(0, np.cumsum(np.concatenate(lengths))) if parts else np.zeros(1, np.int64)
    return starts, np.frombuffer(b"".join(part.data for part in parts), "u1")
