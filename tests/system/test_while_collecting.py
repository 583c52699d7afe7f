"""While a collection is written, everybody else gets answers: of what stood before it."""

import time
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path

import pytest

from adzeguard.store.connection import Database
from adzeguard.store.sqlite import SqliteDatabase
from tests.program import Program

LOOKS = [
    ("who", "Domain Admins", "--format", "json"),
    ("why", "mira.holt.adm", "--in", "Domain Admins"),
    ("show", "roan.pell"),
    ("doors",),
    ("status",),
    ("check", "--format", "json"),
    ("propose", "--format", "json"),
]


class StoppedError(Exception):
    """Nothing of the collection is kept."""


@pytest.fixture(params=["sqlite", "postgres"])
def shared(request: pytest.FixtureRequest, demo: Program, demo_as_made: Path) -> tuple[Program, Database]:
    """A demo workspace, and another connection to its store."""
    if request.param == "sqlite":
        state = demo.folder / ".adzeguard"
        return demo, SqliteDatabase(state / "store.db", state / "lock")
    from adzeguard.store.postgres import PostgresDatabase

    url = request.getfixturevalue("postgres").url()
    settings = demo.folder / "adzeguard.toml"
    settings.write_text(settings.read_text() + f'\n[store]\nurl = "{url}"\n')
    assert demo("collect").code in (0, 4)
    return demo, PostgresDatabase(url)


@pytest.fixture
def collecting(shared: tuple[Program, Database]) -> Iterator[Program]:
    """The program, while somebody else holds the workspace and has written half of a collection."""
    program, other = shared
    with ExitStack() as held:
        held.callback(other.close)
        held.enter_context(pytest.raises(StoppedError))
        held.enter_context(other.held("collect"))
        connection = held.enter_context(other.writing())
        connection.run("UPDATE object SET until = 99 WHERE until IS NULL")
        connection.run("UPDATE membership SET until = 99 WHERE until IS NULL")
        connection.run("DELETE FROM host")
        yield program
        raise StoppedError


def test_everybody_is_answered_while_a_collection_is_written(
    collecting: Program, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each look says what it said before; check says what it found, and that it could not be noted."""
    monkeypatch.setattr("adzeguard.workspace.deviations._PATIENCE", 0.1)
    begun = time.monotonic()
    for look in LOOKS:
        ran = collecting(*look)
        assert ran.code in (0, 3), ran.err
        if look[0] == "who":
            assert {row["name"] for row in ran.json} >= {"mira.holt.adm"}
        elif look[0] == "check":
            assert len(ran.json) > 20
            assert "How much was found is not noted" in ran.err
        elif look[0] == "propose":
            assert len(ran.json["changes"]) > 5
    assert time.monotonic() - begun < 25
    assert collecting("group", "add", "First Aiders", "orla.fenn", "--yes").code == 1
