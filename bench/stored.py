"""The store, and whole commands that work from it."""

import tempfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from adzeguard.store.database import Database
from adzeguard.store.estate_store import CollectionFacts, EstateStore
from adzeguard.workspace.settings import make_workspace, settings_text
from bench.large import DOMAIN, L, M, Size, charter, make, make_hosts, privileged
from bench.measure import Measured, once, program, seconds


def run() -> Iterator[Measured]:
    """Write an estate, read it, write it again, and ask it."""
    with tempfile.TemporaryDirectory() as temporary:
        first_of_m, _ = _write(Path(temporary) / "m", M)
        folder = Path(temporary) / "l"
        first, again = _write(folder, L)
        yield Measured("store: a first estate written", "L", first, "s", 25)
        store = EstateStore(Database(folder / ".adzeguard/store.db"))
        yield Measured("store: the graph read back", "L", seconds(store.load_graph, runs=3), "s", 3)
        yield Measured("store: a collection in which nothing changed", "L", again, "s", 5)
        n_log_n = (1_220_000 * 20.2) / (13_000 * 13.7)
        yield Measured(
            "growth of the first write, M to L, against n log n", "M-L", first / first_of_m / n_log_n, "times", 1
        )
        group = f"LOWMERE\\group.{privileged(L)[7] - L.people:06}"
        yield Measured(
            "who GROUP, the whole command", "L", seconds(lambda: program("who", group, folder=folder), runs=3), "s", 2
        )
        checked = seconds(lambda: program("check", "--format", "csv", folder=folder), runs=1)
        yield Measured("check, 40 group rules and 200 host rules", "L", checked, "s", 30)
        proposed = seconds(lambda: program("propose", "--format", "json", folder=folder), runs=1)
        yield Measured("proposal, the same", "L", proposed, "s", 30)


def _write(folder: Path, size: Size) -> tuple[float, float]:
    ldif = folder.parent / "none.ldif"
    make_workspace(folder, settings_text({"kind": "ldif", "file": str(ldif)}, {}, {}), charter(size))
    store = EstateStore(Database(folder / ".adzeguard/store.db"))
    whole = make(size)
    hosts = make_hosts(size, whole)
    now = datetime.now(UTC)
    facts = CollectionFacts("full", now, now, "bench", DOMAIN)
    first = once(lambda: store.write(facts, whole, hosts))
    return first, once(lambda: store.write(facts, whole, hosts))
