"""The store in a file of the workspace: SQLite in WAL mode, readable by its owner alone."""

import os
import re
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from errno import EACCES, EPERM, EROFS
from itertools import chain, islice
from pathlib import Path
from threading import RLock
from typing import Any, Final

from adzeguard.core.errors import StoreBusyError, StoreError
from adzeguard.store.connection import Dialect, Row
from adzeguard.store.file_lock import held_file
from adzeguard.store.migrations import bring_up_to_date

DIALECT: Final = Dialect(
    "INTEGER",
    "FLOAT",
    "BLOB",
    "LIKE",
    "group_concat({})",
    "instr({0}, '{1}') > 0",
    "{} COLLATE NOCASE",
    "length(CAST({} AS BLOB))",
)
_WAIT_SECONDS: Final = 30
_READ: Final = "BEGIN"
_INSERT: Final = re.compile(r"(INSERT INTO .* VALUES )(\(\?(?:, \?)*\))( ON CONFLICT .*)?", re.DOTALL)
_ROWS_AT_ONCE: Final = 200
_NO_ROOM: Final = ("disk I/O error", "database or disk is full")
# Not mapped into memory: each row that is looked at would keep 64 KiB of the file with it.
_SETTINGS: Final = (
    "journal_mode=WAL",
    "synchronous=FULL",
    "foreign_keys=ON",
    "cache_size=-16384",
)
_TO_WRITE: Final = "cache_size=-65536"
"""What is put in all over an index is wanted again soon; what is looked at mostly is not, and the system keeps it."""


class _Open:
    """The one connection, inside a transaction."""

    dialect = DIALECT

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection

    def rows(self, query: str, values: Sequence[Any] = ()) -> list[Row]:
        return self._connection.execute(query, values).fetchall()

    def run(self, statement: str, values: Sequence[Any] = ()) -> None:
        self._connection.execute(statement, values)

    def run_many(self, statement: str, rows: Iterable[Row]) -> int:
        found = _INSERT.fullmatch(statement)
        if found is None:
            return max(0, self._connection.executemany(statement, rows).rowcount)
        # For each statement SQLite opens the table and every index of it anew: row by row that is half of the time.
        before, marks, after = found.groups(default="")
        changed, left = 0, iter(rows)
        while some := list(islice(left, _ROWS_AT_ONCE)):
            many = f"{before}{', '.join([marks] * len(some))}{after}"
            changed += max(0, self._connection.execute(many, list(chain.from_iterable(some))).rowcount)
        return changed


class SqliteDatabase:
    """The tables of one workspace in one file, over one connection that its threads take turns with."""

    def __init__(self, path: Path, lock_path: Path) -> None:
        """Open the file, make it where it is missing, and bring it up to date. `StoreTooNewError` for a newer one."""
        self._path = path
        self._lock_path = lock_path
        self._turn = RLock()
        self._depth = 0
        self._reads = False
        self._writable = True
        with self._translated():
            self._make_file()
            # The driver must not begin transactions by its own rules: it begins none for reads, so that two reads
            # could see two moments, and none for CREATE TABLE.
            self._connection = self._connected()
            try:
                for setting in _SETTINGS if self._writable else ():
                    self._connection.execute(f"PRAGMA {setting}")
            except sqlite3.OperationalError as error:
                if not any(said in str(error) for said in _NO_ROOM):
                    raise
                self._read_alone()
        bring_up_to_date(self, str(path))

    def _connected(self) -> sqlite3.Connection:
        return sqlite3.connect(
            self._uri, timeout=_WAIT_SECONDS, isolation_level=None, check_same_thread=False, uri=True
        )

    def _read_alone(self) -> None:
        """Look where the disk is full: what processes share about the log is then kept in the memory of this one.

        Otherwise a file is made for it beside the store, which a full disk refuses, and not even looking is possible.
        Seen on a file system without a free block. Nobody else gets in meanwhile, and nothing can be kept.
        """
        self._connection.close()
        self._connection = self._connected()
        self._connection.execute("PRAGMA locking_mode=EXCLUSIVE")
        self._connection.execute("SELECT count(*) FROM sqlite_master").fetchone()
        self._writable = False

    def _make_file(self) -> None:
        """Make the file where it is missing; one that is there is never opened and closed beside the database.

        A process that closes any handle of a file loses all its locks on it (fcntl(2)), those of its other connections
        among them: another process then takes itself for the last one, clears the log away that is still written to,
        and the store is damaged. Seen with watch, which opens it anew for each round.
        """
        try:
            self._path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            if not self._path.exists():
                with suppress(FileExistsError):  # somebody else was faster
                    os.close(os.open(self._path, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600))
            self._writable = os.access(self._path, os.W_OK) and os.access(self._path.parent, os.W_OK)
        except OSError as error:
            if error.errno not in (EACCES, EROFS, EPERM) or not os.access(self._path, os.R_OK):
                raise
            self._writable = False

    @property
    def role(self) -> str:
        """A file knows no roles."""
        return ""

    @property
    def _uri(self) -> str:
        # A store in WAL mode cannot even be read where its folder cannot be written, unless it is said that nobody
        # writes it meanwhile: seen on a disk that is mounted read-only.
        return self._path.resolve().as_uri() + ("" if self._writable else "?immutable=1")

    @property
    def writable(self) -> bool:
        """Whether anything can be kept in it."""
        return self._writable

    @contextmanager
    def reading(self) -> Iterator[_Open]:
        """Open a connection that sees one moment of the store."""
        with self._transaction(_READ) as connection:
            yield connection

    @contextmanager
    def writing(self, patience: float | None = None) -> Iterator[_Open]:
        """Open a connection whose work is kept whole at the end, or not at all."""
        # IMMEDIATE takes the write lock at once: a transaction that reads first and writes later is refused with
        # "database is locked" when somebody else wrote in between, however long it would have waited.
        with self._turn, self._translated():
            # Asked once it is this thread's turn: before, what is open may be another's, for which this one waits.
            if self._depth and self._reads:
                raise AssertionError("what only looks at one moment writes")
            self._connection.execute(f"PRAGMA {_TO_WRITE}")
            if patience is not None:
                self._connection.execute(f"PRAGMA busy_timeout={int(patience * 1000)}")
            try:
                with self._transaction("BEGIN IMMEDIATE") as connection:
                    yield connection
            finally:
                if patience is not None:
                    self._connection.execute(f"PRAGMA busy_timeout={_WAIT_SECONDS * 1000}")

    @contextmanager
    def _transaction(self, begin: str) -> Iterator[_Open]:
        with self._turn, self._translated():
            if not self._depth:
                self._connection.execute(begin)
                self._reads = begin == _READ
            self._depth += 1
            try:
                yield _Open(self._connection)
            except BaseException:
                self._depth -= 1
                if not self._depth and self._connection.in_transaction:
                    self._connection.execute("ROLLBACK")
                raise
            self._depth -= 1
            if not self._depth:
                self._commit()

    def _commit(self) -> None:
        try:
            self._connection.execute("COMMIT")
        except sqlite3.Error:
            # A commit that fails, as on a full disk, leaves the transaction open.
            if self._connection.in_transaction:
                self._connection.execute("ROLLBACK")
            raise

    @contextmanager
    def held(self, task: str) -> Iterator[None]:
        """Hold the workspace's lock file while a task changes something."""
        with held_file(self._lock_path, task):
            yield

    def has_grown(self, *tables: str) -> None:
        """Do nothing: plans hang on the words of queries and indexes alone, as long as nothing is counted."""

    def close(self) -> None:
        """Let go of the file."""
        self._connection.close()

    @contextmanager
    def _translated(self) -> Iterator[None]:
        """Turn what the database raises into our own errors, the cause kept."""
        path = self._path
        try:
            yield
        except (sqlite3.Error, OSError) as error:
            said = str(error)
            if "locked" in said:
                raise StoreBusyError(f"another process is writing to {path}", "Wait for it to end") from error
            if "not a database" in said or "malformed" in said:
                way_out = "Move it away and run: adzeguard collect"
                raise StoreError(f"{path} is damaged or is no store", way_out) from error
            if "full" in said or "No space" in said:
                raise StoreError(f"the disk is full; {path} is as it was", "Make room and try again") from error
            raise StoreError(f"{path} cannot be used: {said}", "Check its rights and the disk") from error
