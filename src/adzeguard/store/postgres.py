"""The store of a team: PostgreSQL, shared by workspaces on several machines (package psycopg, extra `team`)."""

import os
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from threading import RLock
from typing import Any, Final
from urllib.parse import parse_qs, urlsplit

import psycopg

from adzeguard.account_names import account_name
from adzeguard.core.errors import SettingsError, StoreBusyError, StoreError
from adzeguard.store.connection import Dialect, Row
from adzeguard.store.migrations import bring_up_to_date

DIALECT: Final = Dialect(
    "BIGINT",
    "DOUBLE PRECISION",
    "BYTEA",
    "ILIKE",
    "string_agg({}::text, ',')",
    "strpos({0}, '{1}') > 0",
    'lower({}) COLLATE "C"',
    "octet_length({})",
)
_LOCK: Final = 0x61647A65
"""The number under which the store is locked: "adze". Locks of this kind are of one database, not of the server."""
_LIMITS: Final = "-c lock_timeout=30s -c statement_timeout=600s -c idle_in_transaction_session_timeout=3600s"
_SURE: Final = ("verify-full",)
_LOOPBACK: Final = ("", "localhost", "127.0.0.1", "::1")


class _Open:
    """A connection inside a transaction."""

    dialect = DIALECT

    def __init__(self, connection: "psycopg.Connection[Row]") -> None:
        self._connection = connection

    def rows(self, query: str, values: Sequence[Any] = ()) -> list[Row]:
        return self._connection.execute(_spelt(query), values).fetchall()

    def run(self, statement: str, values: Sequence[Any] = ()) -> None:
        self._connection.execute(_spelt(statement), values)

    def run_many(self, statement: str, rows: Iterable[Row]) -> int:
        with self._connection.cursor() as cursor:
            cursor.executemany(_spelt(statement), rows)
            return max(0, cursor.rowcount)


def _spelt(statement: str) -> Any:
    """The driver writes %s where the store writes ?; a percent sign stands in values only."""
    return statement.replace("%", "%%").replace("?", "%s")


class PostgresDatabase:
    """The tables of a team in one database, over one connection that the threads of a command take turns with."""

    def __init__(self, url: str) -> None:
        """Connect, and bring the tables up to date. The password comes from the surroundings, never from the URL."""
        self._url = checked_url(url)
        self._label = label_of(url)
        self._turn = RLock()
        self._depth = 0
        with self._translated():
            self._connection = self._connected()
        bring_up_to_date(self, self._label)

    @property
    def writable(self) -> bool:
        """Whether anything can be kept in it; what the account may is the database's own matter."""
        return True

    @property
    def role(self) -> str:
        """In whose name the database writes."""
        with self.reading() as connection:
            return str(connection.rows("SELECT current_user")[0][0])

    def _connected(self) -> "psycopg.Connection[Row]":
        from psycopg.conninfo import conninfo_to_dict

        # Whoever waits for a lock, or for an answer, for ever, keeps others waiting too. What the address says itself
        # counts after that, such as the schema: given apart, options take the place of those of the address, and
        # stores of several schemas were one.
        said = str(conninfo_to_dict(self._url).get("options") or "")
        options = f"{_LIMITS} {said}".strip()
        return psycopg.connect(
            self._url, autocommit=True, connect_timeout=30, application_name="adzeguard", options=options
        )

    @contextmanager
    def reading(self) -> Iterator[_Open]:
        """Open a connection that sees one moment of the store."""
        # The usual isolation sees what others commit between two statements: two moments in one answer.
        with self._transaction("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY") as connection:
            yield connection

    @contextmanager
    def writing(self, patience: float | None = None) -> Iterator[_Open]:
        """Open a connection whose work is kept whole at the end, or not at all; others who write wait."""
        with self._transaction("BEGIN") as connection:
            if self._depth == 1:
                if patience is not None:
                    connection.run(f"SET LOCAL lock_timeout = {int(patience * 1000)}")
                # The numbers of journal rows have no gaps: two writers at once would both take the next one.
                connection.run("SELECT pg_advisory_xact_lock(?)", (_LOCK + 1,))
            yield connection

    @contextmanager
    def _transaction(self, begin: str) -> Iterator[_Open]:
        with self._turn, self._translated():
            if not self._depth:
                self._connection.execute(_spelt(begin))
            self._depth += 1
            try:
                yield _Open(self._connection)
            except BaseException:
                self._depth -= 1
                # After a lost connection the server has rolled back by itself.
                if not self._depth and not self._connection.closed:
                    self._connection.execute("ROLLBACK")
                raise
            self._depth -= 1
            if not self._depth:
                self._connection.execute("COMMIT")

    @contextmanager
    def held(self, task: str) -> Iterator[None]:
        """Hold the store for a task, by a lock that the server lets go when this process ends in any way."""
        with self._translated():
            keeper = self._connected()
        try:
            with self._translated():
                row = keeper.execute("SELECT pg_try_advisory_lock(%s)", (_LOCK,)).fetchone()
                if not (row and row[0]):
                    holder_row = keeper.execute("SELECT value FROM about WHERE name = 'holder'").fetchone()
                    holder = holder_row[0] if holder_row else "another process"
                    raise StoreBusyError(f"{holder} holds this store", "Wait for it to end, and run this again")
                who = account_name(os.getuid()) or "unknown"
                me = f"adzeguard {task} (by {who} on {os.uname().nodename}, process {os.getpid()})"
                keeper.execute(
                    "INSERT INTO about (name, value) VALUES ('holder', %s)"
                    " ON CONFLICT (name) DO UPDATE SET value = excluded.value",
                    (me,),
                )
            yield
        finally:
            keeper.close()

    def has_grown(self, *tables: str) -> None:
        """Have the server count what some tables hold; where it cannot, it does so by itself some minutes later.

        Until then it takes them for empty and reads them whole in place of an index: after a first collection of a
        million objects a check took 16 seconds in place of 4 (PostgreSQL 15).
        """
        with self._turn:
            if not self._depth:
                with suppress(psycopg.Error):
                    self._connection.execute(_spelt(f"ANALYZE (SKIP_LOCKED) {', '.join(tables)}"))

    def close(self) -> None:
        """Let go of the connection."""
        self._connection.close()

    @contextmanager
    def _translated(self) -> Iterator[None]:
        """Turn what the driver raises into our own errors, the cause kept. What it says may hold no password."""
        try:
            yield
        except psycopg.errors.LockNotAvailable as error:
            raise StoreBusyError(f"somebody else is writing to the store at {self._label}", "Try again") from error
        except psycopg.Error as error:
            said = str(error).strip().splitlines()
            # What follows the first line can be the statement with its values.
            first = said[0] if said else type(error).__name__
            way_out = "Check [store] url, the server, and the password in the environment or ~/.pgpass"
            raise StoreError(f"the store at {self._label} cannot be used: {first}", way_out) from error


def checked_url(url: str) -> str:
    """Return the URL with verified encryption; `SettingsError` for one that holds a password or does without it."""
    parts = urlsplit(url)
    if parts.scheme not in ("postgresql", "postgres"):
        raise SettingsError(f"[store] url '{label_of(url)}' is no postgresql:// address")
    given = parse_qs(parts.query)
    # The settings are read by everybody who works with the workspace, and copied into others.
    if parts.password or "password" in given:
        raise SettingsError("[store] url holds a password", "Take it out; it comes from PGPASSWORD or ~/.pgpass")
    host = parts.hostname or next(iter(given.get("host", [])), "")
    # A socket of this machine has no certificate to be verified by.
    if host in _LOOPBACK or host.startswith("/"):
        return url
    mode = next(iter(given.get("sslmode", [])), "")
    if mode and mode not in _SURE:
        raise SettingsError(f"[store] url says sslmode={mode}", "Over a network it must be verify-full")
    return url if mode else url + ("&" if parts.query else "?") + "sslmode=verify-full"


def label_of(url: str) -> str:
    """Return the address as people call it, without anything secret in it."""
    parts = urlsplit(url)
    return f"{parts.hostname or 'local'}{parts.path}"
