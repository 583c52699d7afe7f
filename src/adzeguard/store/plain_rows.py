"""Tables whose rows are plain values with an id of a letter and a number: leases, shifts, questions, waivers."""

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields
from datetime import UTC, date, datetime, time
from typing import Any, ClassVar, Final, Generic, Protocol, TypeVar, get_type_hints

from adzeguard.core.errors import StoreDamagedError
from adzeguard.store.column_names import columns_of
from adzeguard.store.connection import Connection, Database
from adzeguard.store.kept import believed, note_kept


class _WithId(Protocol):
    @property
    def id(self) -> str: ...


Row = TypeVar("Row", bound=_WithId)


class PlainRows(Generic[Row]):
    """One table, of one kind of dataclass. A kind names the table, the class, and what a row is called in errors."""

    kind: ClassVar[type[Any]]
    table: ClassVar[str]
    letter: ClassVar[str]
    """With which the ids begin, since people type them."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Row]:
        """Return all rows that ever were and stand as the journal tells them, in the order in which they were made."""
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT {columns_of(self.kind)} FROM {self.table}")
            good = believed(self._database, connection, self.table)
        return sorted((self._read(row) for row in rows if good is None or row[0] in good), key=_number)

    def next_id(self) -> str:
        """Return the id of the next one."""
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT id FROM {self.table}")
        numbers = (str(row[0])[1:] for row in rows)
        return f"{self.letter}{max((int(one) for one in numbers if one.isdecimal()), default=0) + 1}"

    def write(self, row: Row) -> None:
        """Write one, over what stood of it."""
        with self._database.writing() as connection:
            write_rows(connection, self.table, [row])

    def take_out(self, row_id: str) -> None:
        """Forget one whose making is taken back."""
        with self._database.writing() as connection:
            connection.run(f"DELETE FROM {self.table} WHERE id = ?", (row_id,))
            note_kept(connection, self.table, [row_id])

    def _read(self, values: Sequence[Any]) -> Row:
        try:
            read: Row = self.kind(*[back(value) for value, (_, back) in zip(values, _ways(self.kind), strict=True)])
        except (ValueError, TypeError) as error:
            raise StoreDamagedError(f"the {self.table} {values[0]} cannot be read") from error
        return read


def write_rows(connection: Connection, table: str, rows: Sequence[Any]) -> None:
    """Write rows over what stood of them, in the transaction of what they belong to."""
    for row in rows:
        names = [field.name for field in fields(row)]
        values = [there(getattr(row, name)) for name, (there, _) in zip(names, _ways(type(row)), strict=True)]
        connection.run(f"DELETE FROM {table} WHERE id = ?", (row.id,))
        marks = ", ".join("?" * len(values))
        connection.run(f"INSERT INTO {table} ({columns_of(type(row))}) VALUES ({marks})", values)
    note_kept(connection, table, [row.id for row in rows])


def _number(row: _WithId) -> int:
    return int(row.id[1:])


_LATEST: Final = datetime(9998, 12, 31, tzinfo=UTC)
"""What is later cannot be told in every time zone: a store of an older version may hold it."""


def _moment(text: str) -> datetime:
    return min(datetime.fromisoformat(text), _LATEST)


_Way = tuple[Callable[[Any], Any], Callable[[Any], Any]]
_WAYS: Final[Mapping[Any, _Way]] = {
    datetime: (datetime.isoformat, _moment),
    datetime | None: (
        lambda moment: moment.isoformat() if moment is not None else "",
        lambda text: _moment(text) if text else None,
    ),
    date: (date.isoformat, date.fromisoformat),
    time: (time.isoformat, time.fromisoformat),
    tuple[date, ...]: (
        lambda days: json.dumps([day.isoformat() for day in days]),
        lambda text: tuple(date.fromisoformat(day) for day in json.loads(text)),
    ),
    bool: (int, bool),
    int: (int, int),
}
"""There and back by the type of a field; everything else is a text."""


_known: Final[dict[str, tuple[_Way, ...]]] = {}


def _ways(kind: type[Any]) -> tuple[_Way, ...]:
    """Return the ways of the fields of a kind, worked out once: types are told from their names slowly."""
    if kind.__qualname__ not in _known:
        hints = get_type_hints(kind)
        _known[kind.__qualname__] = tuple(_WAYS.get(hints[field.name], (str, str)) for field in fields(kind))
    return _known[kind.__qualname__]
