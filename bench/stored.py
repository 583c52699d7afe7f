"""The store."""

import math
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.hosts import Host
from adzeguard.settings.settings import make_workspace, settings_text
from adzeguard.store.collections import CollectionFacts
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from bench.large import DOMAIN, L, M, Size, charter, make, make_hosts
from bench.measure import Measured, idle_seconds, seconds


def run() -> Iterator[Measured]:
    """Write an estate, read it, and write it again."""
    with tempfile.TemporaryDirectory() as temporary:
        first_of_m, _ = write_estate(Path(temporary) / "m", M)
        folder = Path(temporary) / "l"
        first, again = write_estate(folder, L)
        yield Measured("store: a first estate written", "L", first, "s", 12)
        yield Measured(
            "store: as many rows with as much text, put in by SQLite alone", "L", _rows_alone(L), "s", math.inf
        )
        copied = _same_tables_alone(folder / ".adzeguard/store.db")
        yield Measured("store: the same rows and indexes, copied by SQLite alone", "L", copied, "s", math.inf)
        store = EstateStore(store_of(folder), folder / ".adzeguard/present")
        yield Measured("store: the graph read back", "L", seconds(store.load_graph, runs=3), "s", 1)
        yield Measured("store: a collection in which nothing changed", "L", again, "s", 4)
        n_log_n = (1_220_000 * 20.2) / (13_000 * 13.7)
        growth = first / first_of_m / n_log_n
        yield Measured("growth of the first write, M to L, against n log n", "M-L", growth, "times", 1)


def _rows_alone(size: Size) -> float:
    """Return the seconds that the smallest program takes to write a row an object, and nothing else."""
    objects = make(size).objects
    rows = zip(range(len(objects.kinds)), objects.names, objects.dns, objects.details, strict=True)
    with tempfile.TemporaryDirectory() as temporary, closing(sqlite3.connect(Path(temporary) / "alone.db")) as alone:
        alone.execute("PRAGMA journal_mode = WAL")
        alone.execute("CREATE TABLE object (id INTEGER PRIMARY KEY, name TEXT, dn TEXT, details TEXT)")

        def write() -> None:
            with alone:
                alone.executemany("INSERT INTO object VALUES (?, ?, ?, ?)", rows)

        return idle_seconds(write)


def _same_tables_alone(path: Path) -> float:
    """Return the seconds that SQLite takes, without a line of Python for a row, to put the same into a new file."""
    with tempfile.TemporaryDirectory() as temporary, closing(sqlite3.connect(Path(temporary) / "same.db")) as alone:
        alone.execute("PRAGMA journal_mode = WAL")
        alone.execute("PRAGMA cache_size = -65536")
        alone.execute("ATTACH ? AS full", (str(path),))
        made = alone.execute("SELECT type, name, sql FROM full.sqlite_master WHERE sql <> ''").fetchall()
        for kind, name, words in made:
            if kind == "table" and not name.startswith("sqlite_"):
                alone.execute(words)

        def copy() -> None:
            with alone:
                for kind, name, _ in made:
                    if kind == "table" and not name.startswith("sqlite_"):
                        alone.execute(f'INSERT INTO main."{name}" SELECT * FROM full."{name}"')  # noqa: S608 - our own tables
                for kind, _, words in made:
                    if kind == "index":
                        alone.execute(words)

        return idle_seconds(copy)


def store_of(folder: Path) -> SqliteDatabase:
    return SqliteDatabase(folder / ".adzeguard/store.db", folder / ".adzeguard/lock")


def write_estate(
    folder: Path, size: Size, rules: str | None = None, whole: Assembled | None = None
) -> tuple[float, float]:
    """Make a workspace with an estate of a size; return the CPU seconds of the first writing, and of one of the same.

    `rules` and `whole` are the text of the charter and the directory, where they are not those of the size.
    """
    ldif = folder.parent / "none.ldif"
    make_workspace(folder, settings_text({"kind": "ldif", "file": str(ldif)}, (), {}), rules or charter(size))
    store = EstateStore(store_of(folder), folder / ".adzeguard/present")
    collected = collection_of(size, whole)
    first = idle_seconds(lambda: store.write(*collected))
    return first, idle_seconds(lambda: store.write(*collected))


def collection_of(size: Size, whole: Assembled | None = None) -> tuple[CollectionFacts, Assembled, list[Host]]:
    """Return what a collection of this size gives to a store: what it is, the directory, and the hosts."""
    whole = whole or make(size)
    now = datetime.now(UTC)
    return CollectionFacts("full", now, now, "bench", DOMAIN), whole, make_hosts(size, whole)
