"""What holds now, by the kept columns: found, brought on by what has changed since they were written, or made anew."""

from collections.abc import Iterable
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.errors import StoreBusyError, StoreDamagedError
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.rows import ObjectRow
from adzeguard.core.estate.texts import Texts
from adzeguard.store import kept_columns
from adzeguard.store.batches import among, batched
from adzeguard.store.collections import valid_at
from adzeguard.store.columns import SHOWN, listed, unpacked
from adzeguard.store.connection import Connection, Database, one
from adzeguard.store.kept_columns import Checked, Columns
from adzeguard.store.kept_graph import GroupRow, brought_on, columns_of_graph, graph_of
from adzeguard.store.kept_objects import NUMBERS, columns_of_objects, columns_of_texts, empty, objects_brought_on
from adzeguard.store.memberships import read_graph, read_group_rows

_ROWS_AT_ONCE: Final = 100_000
_FEW: Final = 20
"""One in so many objects may have changed for the columns to be brought on; beyond that they are made anew."""


class Present:
    """The kept columns of one store, in a file that can be deleted at any time."""

    def __init__(self, database: Database, path: Path) -> None:
        self._database = database
        self._path = path
        self._opened: tuple[str, Checked] | None = None

    def columns(self) -> Checked:
        """Return the columns of what holds now."""
        with self._database.reading() as connection:
            number, stamp = _last(connection)
            if self._opened is None or self._opened[0] != stamp:
                self._opened = (stamp, self._found(connection, number, stamp))
        columns = self._opened[1]
        columns.anew = lambda: self._made_anew(stamp)
        return columns

    def graph(self) -> MembershipGraph:
        """Return the memberships that hold now."""
        columns = self.columns()
        return graph_of(columns, columns.length("kinds"))

    def keep(self, whole: Assembled) -> None:
        """Keep what was just written whole. Where little of it was new, what is kept already is brought on."""
        with self._database.reading() as connection:
            number, stamp = _last(connection)
            size = size_of(connection)
            kept = kept_columns.opened(self._path)
            if kept is not None and self._is_of_here(connection, kept):
                changed = _changed(connection, kept.number)
                if len(changed[0]) + len(changed[1]) <= size // _FEW:
                    self.columns()
                    return
        graph = whole.graph.of_size(size)
        kept_columns.write(self._path, number, stamp, columns_of_objects(whole.objects, size) | columns_of_graph(graph))

    def _found(self, connection: Connection, number: int, stamp: str) -> Checked:
        kept = kept_columns.opened(self._path)
        if kept is not None and self._is_of_here(connection, kept):
            objects, groups = _changed(connection, kept.number)
            if not objects and not groups:
                return kept.columns
            try:
                if len(objects) + len(groups) <= kept.columns.length("kinds") // _FEW + _FEW:
                    return self._written(number, stamp, _brought_on(connection, kept.columns, objects, groups))
            except ValueError:  # a block differs from its sum, or the file is not what it says to be
                pass
        return self._written(number, stamp, read_columns(connection))

    def _written(self, number: int, stamp: str, columns: Columns) -> Checked:
        kept_columns.write(self._path, number, stamp, columns)
        return Checked(columns)

    def _made_anew(self, stamp: str) -> Columns:
        """Read the columns from the store, for those of a file that is damaged: perhaps long after it was opened."""
        with self._database.reading() as connection:
            number, now = _last(connection)
            if now != stamp:
                raise StoreBusyError("a collection was written meanwhile", "Run it again")
            columns = read_columns(connection)
            kept_columns.write(self._path, number, stamp, columns)
            return columns

    def _is_of_here(self, connection: Connection, kept: kept_columns.KeptFile) -> bool:
        """Whether the store has the collection that the file tells of, and not another of the same number."""
        row = one(connection, "SELECT stamp FROM collection WHERE id = ?", (kept.number,))
        return row is not None and bool(kept.stamp) and str(row[0]) == kept.stamp


def size_of(connection: Connection) -> int:
    """Return one more than the highest id of any object that ever was."""
    last = one(connection, "SELECT coalesce(max(id), -1) FROM object") or (-1,)
    return int(last[0]) + 1


def _last(connection: Connection) -> tuple[int, str]:
    row = one(connection, "SELECT id, stamp FROM collection ORDER BY id DESC LIMIT 1")
    return (int(row[0]), str(row[1])) if row else (0, "")


def _changed(connection: Connection, number: int) -> tuple[list[int], list[int]]:
    """Return the ids of the objects, and of the groups whose members, have changed since a collection."""
    found: list[list[int]] = []
    for table, key in (("object", "id"), ("membership", "group_id")):
        # The first conditions are those of the indexes, which a first collection leaves empty.
        query = (
            f"SELECT {key} FROM {table} WHERE since > 1 AND since > ?"
            f" UNION SELECT {key} FROM {table} WHERE until IS NOT NULL AND until > ?"
        )
        found.append(sorted(int(i) for (i,) in connection.rows(query, (number, number))))
    return found[0], found[1]


def _brought_on(connection: Connection, before: Checked, objects: list[int], groups: list[int]) -> Columns:
    size = size_of(connection)
    old = before.all()
    rows: dict[int, ObjectRow | None] = dict.fromkeys(objects)
    authorities = _authorities(connection)
    rows |= {row[0]: unpacked(row, authorities) for row in _present(connection, objects)}
    members: dict[int, GroupRow | None] = dict.fromkeys(groups)
    members |= read_group_rows(connection, groups)
    graph = graph_of(before, before.length("kinds"))
    return objects_brought_on(old, size, rows) | columns_of_graph(brought_on(graph, size, members))


def _present(connection: Connection, ids: Iterable[int]) -> Iterable[Any]:
    for some in batched(ids):
        query = f"SELECT {listed(SHOWN)} FROM object WHERE until IS NULL AND {among('id', len(some))}"
        yield from connection.rows(query, some)


def _authorities(connection: Connection) -> dict[int, str]:
    return {int(number): str(text) for number, text in connection.rows("SELECT id, text FROM authority")}


def read_columns(connection: Connection) -> Columns:
    """Read all columns from the store, a part of the objects at a time."""
    size = size_of(connection)
    authorities = _authorities(connection)
    places = {number: place for place, number in enumerate(authorities)}
    numbers = {name: np.full(size, empty(name), kind) for name, kind in NUMBERS.items()}
    texts: dict[str, list[Texts]] = {"names": [], "dns": []}
    # In the order of the columns of numbers, and then of the texts.
    query = (
        "SELECT id, kind, flags, primary_rid, authority, rid, created, last_logon, password_set, expires, name, dn"
        " FROM object WHERE until IS NULL AND id >= ? AND id < ?"
    )
    for begin in range(0, size, _ROWS_AT_ONCE):
        end = min(begin + _ROWS_AT_ONCE, size)
        rows = connection.rows(query, (begin, end))
        ids = np.fromiter((row[0] for row in rows), np.int64, len(rows))
        for place, name in enumerate(numbers, 1):
            if name == "authorities":
                values = [-1 if row[place] is None else places[row[place]] for row in rows]
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
    named = Texts.of(authorities.values())
    columns |= columns_of_texts("authority_names", named.starts, np.frombuffer(named.data, "u1"), len(named))
    try:
        return columns | columns_of_graph(read_graph(connection, size, valid_at(None)))
    except (KeyError, OverflowError) as error:
        raise StoreDamagedError("an object of the store cannot be read") from error


def _joined(parts: list[Texts]) -> tuple[NDArray[np.int64], NDArray[np.uint8]]:
    lengths = [np.diff(part.starts) for part in parts]
    starts = np.append(0, np.cumsum(np.concatenate(lengths))) if parts else np.zeros(1, np.int64)
    return starts, np.frombuffer(b"".join(part.data for part in parts), "u1")
