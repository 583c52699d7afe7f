"""Opens the store of a workspace: SQLite in WAL mode, readable by its owner alone."""

import os
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, insert, inspect, select, update
from sqlalchemy.exc import DBAPIError

from adzeguard.core.errors import StoreBusyError, StoreError, StoreTooNewError
from adzeguard.store import schema

_WAIT_SECONDS = 30


class Database:
    """The tables of one workspace."""

    def __init__(self, path: Path) -> None:
        """Open the file, make it where it is missing, and bring it up to date. `StoreTooNewError` for a newer one."""
        self._path = path
        with translated(path):
            self._create_private(path)
            self._engine = _engine(path)
            with self.writing() as connection:
                _migrate(connection, path)

    @staticmethod
    def _create_private(path: Path) -> None:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        os.close(os.open(path, os.O_RDWR | os.O_CREAT, 0o600))

    @contextmanager
    def reading(self) -> Iterator[Connection]:
        """Yield a connection that sees one moment of the store."""
        with translated(self._path), self._engine.connect() as connection:
            yield connection

    @contextmanager
    def writing(self) -> Iterator[Connection]:
        """Yield a connection whose work is kept whole at the end, or not at all."""
        with translated(self._path), self._engine.begin() as connection:
            yield connection

    def close(self) -> None:
        """Let go of the file."""
        self._engine.dispose()


def raw_cursor(connection: Connection) -> Any:
    """Return the driver's own cursor inside the same transaction: rows as plain tuples, several times quicker."""
    return connection.connection.cursor()


@contextmanager
def translated(path: Path) -> Iterator[None]:
    """Turn what the database raises into our own errors, the cause kept."""
    try:
        yield
    except (DBAPIError, sqlite3.Error, OSError) as error:
        said = str(getattr(error, "orig", None) or error)
        if "locked" in said:
            raise StoreBusyError(f"another process is writing to {path}", "Wait for it to end") from error
        if "not a database" in said or "malformed" in said:
            raise StoreError(f"{path} is damaged or is no store", "Move it away and run: adzeguard collect") from error
        if "full" in said or "No space" in said:
            raise StoreError(f"the disk is full; {path} is as it was", "Make room and try again") from error
        raise StoreError(f"{path} cannot be used: {said}", "Check its rights and the disk") from error


def _engine(path: Path) -> Engine:
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": _WAIT_SECONDS})

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, _record: Any) -> None:
        # The driver must not begin transactions by its own rules: it begins none for reads, so that two reads could
        # see two moments, and none for CREATE TABLE.
        connection.isolation_level = None
        cursor = connection.cursor()
        for setting in (
            "journal_mode=WAL",
            "synchronous=FULL",
            "foreign_keys=ON",
            "cache_size=-65536",
            "mmap_size=1073741824",
        ):
            cursor.execute(f"PRAGMA {setting}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        connection.exec_driver_sql("BEGIN")

    return engine


def _migrate(connection: Connection, path: Path) -> None:
    version = _version(connection)
    if version > schema.VERSION:
        raise StoreTooNewError(
            f"{path} is of version {version}, and this program knows versions up to {schema.VERSION}",
            "Use the newer adzeguard",
        )
    for step in schema.MIGRATIONS[version:]:
        step(connection)
    if version == 0:
        connection.execute(insert(schema.about).values(name="version", value=str(schema.VERSION)))
    elif version < schema.VERSION:
        connection.execute(
            update(schema.about).where(schema.about.c.name == "version").values(value=str(schema.VERSION))
        )


def _version(connection: Connection) -> int:
    if not inspect(connection).has_table("about"):
        return 0
    found = connection.scalar(select(schema.about.c.value).where(schema.about.c.name == "version"))
    return int(found or 0)
