"""The store, and whole commands that work from it."""

import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from adzeguard.settings.settings import make_workspace, settings_text
from adzeguard.store.collections import CollectionFacts
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from bench.large import DOMAIN, L, M, Size, charter, make, make_hosts, privileged
from bench.measure import Measured, cpu_of_program, once, seconds


def run() -> Iterator[Measured]:
    """Write an estate, read it, write it again, and ask it."""
    with tempfile.TemporaryDirectory() as temporary:
        first_of_m, _ = _write(Path(temporary) / "m", M)
        folder = Path(temporary) / "l"
        first, again = _write(folder, L)
        yield Measured("store: a first estate written", "L", first, "s", 12)
        store = EstateStore(_store_of(folder), folder / ".adzeguard/present")
        yield Measured("store: the graph read back", "L", seconds(store.load_graph, runs=3), "s", 1)
        yield Measured("store: a collection in which nothing changed", "L", again, "s", 5)
        n_log_n = (1_220_000 * 20.2) / (13_000 * 13.7)
        growth = first / first_of_m / n_log_n
        yield Measured("growth of the first write, M to L, against n log n", "M-L", growth, "times", 1)
        yield from _commands(folder)


def _commands(folder: Path) -> Iterator[Measured]:
    """Whole commands, by the processor time that they take."""
    group = f"LOWMERE\\group.{privileged(L)[7] - L.people:06}"
    for name, arguments, bar in (
        ("who GROUP", ("who", group), 1.5),
        ("why PERSON --in GROUP", ("why", "person.0000042", "--in", group), 1.5),
        ("find TEXT", ("find", "person.00004"), 1.5),
        ("show PERSON", ("show", "person.0000042"), 1.5),
        ("may WHO RIGHT OBJECT", ("may", "person.0000042", "write:member", group), 1.5),
        ("check, 40 group rules and 200 host rules", ("check", "--format", "csv"), 4),
        ("propose, the same", ("propose", "--format", "json"), 3),
        ("status", ("status",), 2),
    ):
        used = cpu_of_program(*arguments, folder=folder)
        yield Measured(f"{name}, the whole command", "L", used, "s", bar)


def _store_of(folder: Path) -> SqliteDatabase:
    return SqliteDatabase(folder / ".adzeguard/store.db", folder / ".adzeguard/lock")


def _write(folder: Path, size: Size) -> tuple[float, float]:
    ldif = folder.parent / "none.ldif"
    make_workspace(folder, settings_text({"kind": "ldif", "file": str(ldif)}, (), {}), charter(size))
    store = EstateStore(_store_of(folder), folder / ".adzeguard/present")
    whole = make(size)
    hosts = make_hosts(size, whole)
    now = datetime.now(UTC)
    facts = CollectionFacts("full", now, now, "bench", DOMAIN)
    first = once(lambda: store.write(facts, whole, hosts))
    return first, once(lambda: store.write(facts, whole, hosts))
