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
    """Makes empty stores, and closes them."""
    from adzeguard.store.postgres import PostgresDatabase

    folder = tmp_path_factory.mktemp("stores")
    server = request.getfixturevalue("postgres") if request.param == "postgres" else None
    opened: list[Database] = []

    def new() -> Database:
        opened.append(PostgresDatabase(server.url()) if server else in_folder(folder / uuid.uuid4().hex))
        while len(opened) > 1:
            opened.pop(0).close()
        return opened[0]

    yield new
    for database in opened:
        database.close()
