"""Stores of both kinds: what holds for one holds for the other."""

import uuid
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from adzeguard.store.connection import Database
from adzeguard.store.sqlite import SqliteDatabase

New = Callable[[], Database]


def in_folder(folder: Path) -> SqliteDatabase:
    """The store of a workspace in a file."""
    return SqliteDatabase(folder / "store.db", folder / "lock")


@pytest.fixture(scope="session", params=["sqlite", "postgres"])
def new_store(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Iterator[New]:
    """Makes empty stores, one at a time, and closes them.

    A database of a team is emptied, not made anew: making one takes a tenth of a second, a thousand times.
    """
    from adzeguard.store.postgres import PostgresDatabase

    folder = tmp_path_factory.mktemp("stores")
    url = request.getfixturevalue("postgres").url() if request.param == "postgres" else ""
    opened: list[Database] = []

    def new() -> Database:
        while opened:
            opened.pop().close()
        opened.append(PostgresDatabase(url) if url else in_folder(folder / uuid.uuid4().hex))
        if url:
            _empty(opened[0])
        return opened[0]

    yield new
    for database in opened:
        database.close()


def _empty(database: Database) -> None:
    """Forget everything but the form of the tables."""
    tables = "SELECT tablename FROM pg_tables WHERE schemaname = current_schema()"
    with database.writing() as connection:
        for (table,) in connection.rows(tables):
            connection.run(f"DELETE FROM {table}" + (" WHERE name <> 'version'" if table == "about" else ""))
