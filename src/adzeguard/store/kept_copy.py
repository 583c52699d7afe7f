"""A file of columns about what holds now in a store: found, brought on, or made anew."""

from abc import ABC, abstractmethod
from pathlib import Path

from adzeguard.core.errors import StoreBusyError, StoreDamagedError
from adzeguard.store import kept_columns
from adzeguard.store.connection import Connection, Database, one
from adzeguard.store.kept_columns import Checked, Columns, KeptFile


class KeptCopy(ABC):
    """Columns of one store, in a file that can be deleted at any time. `names` are those that a file must have."""

    names: frozenset[str]

    def __init__(self, database: Database, path: Path) -> None:
        self._database = database
        self._path = path
        self._opened: tuple[str, Checked] | None = None

    def columns(self) -> Checked:
        """Return the columns of what holds now."""
        with self._database.reading() as connection:
            number, stamp = last_collection(connection)
            if self._opened is None or self._opened[0] != stamp:
                self._opened = (stamp, self._found(connection, number, stamp))
        columns = self._opened[1]
        columns.anew = lambda: self._made_anew(stamp)
        return columns

    @abstractmethod
    def _read(self, connection: Connection) -> Columns:
        """Read the columns from the store."""

    @abstractmethod
    def _brought_on(self, connection: Connection, kept: KeptFile, number: int, stamp: str) -> Checked | None:
        """Return the columns of a file as they are now; None where they are to be made anew.

        `StoreDamagedError` where a block differs from its sum, or the file is not what it says to be.
        """

    def _kept(self, connection: Connection) -> KeptFile | None:
        """Open the file; None unless it is of this form, and the store has the collection that it tells of.

        There may be another of the same number, after a store was put back from a backup.
        """
        kept = kept_columns.opened(self._path)
        if kept is None or kept.columns.names != self.names:
            return None
        row = one(connection, "SELECT stamp FROM collection WHERE id = ?", (kept.number,))
        return kept if row is not None and bool(kept.stamp) and str(row[0]) == kept.stamp else None

    def _found(self, connection: Connection, number: int, stamp: str) -> Checked:
        kept = self._kept(connection)
        try:
            found = self._brought_on(connection, kept, number, stamp) if kept is not None else None
        except StoreDamagedError:
            found = None
        return found if found is not None else self._written(number, stamp, self._read(connection))

    def _written(self, number: int, stamp: str, columns: Columns) -> Checked:
        kept_columns.write(self._path, number, stamp, columns)
        return Checked(columns)

    def _made_anew(self, stamp: str) -> Columns:
        """Read the columns from the store, for those of a file that is damaged: perhaps long after it was opened."""
        with self._database.reading() as connection:
            number, now = last_collection(connection)
            if now != stamp:
                raise StoreBusyError("a collection was written meanwhile", "Run it again")
            columns = self._read(connection)
            kept_columns.write(self._path, number, stamp, columns)
            return columns


def last_collection(connection: Connection) -> tuple[int, str]:
    """Return the number of the last collection, and what tells it from another of this number."""
    row = one(connection, "SELECT id, stamp FROM collection ORDER BY id DESC LIMIT 1")
    return (int(row[0]), str(row[1])) if row else (0, "")
