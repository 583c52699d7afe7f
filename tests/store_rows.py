"""Rows of a store written as an older program, or another clock, would have: the journal tells of them."""

from collections.abc import Sequence
from typing import Any

from adzeguard.store.kept import adopt
from adzeguard.store.sqlite import SqliteDatabase
from tests.program import Program


def write_as_told(program: Program, statement: str, values: Sequence[Any] = ()) -> None:
    """Run a statement on the store of a workspace, and let its chain tell what stands afterwards."""
    folder = program.folder / ".adzeguard"
    database = SqliteDatabase(folder / "store.db", folder / "lock")
    with database.writing() as connection:
        connection.run(statement, values)
        adopt(connection)
    database.close()
