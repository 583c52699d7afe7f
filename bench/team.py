"""A team's store in a real PostgreSQL: looks right after its first collection, from a machine that has only looked."""

import tempfile
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Final

from tests.postgres import Postgres

from adzeguard.settings.settings import make_workspace, settings_text
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.postgres import PostgresDatabase
from bench.large import L, Size, charter
from bench.looks import looks
from bench.measure import Measured, floor_of_imports, idle, once, program, seconds
from bench.stored import collection_of

_FOR_THE_SERVER: Final = 0.5
_A_STATEMENT: Final = 0.001
"""What a look may take longer than one at a file: here the whole time counts, the server's and the way to it too."""


def run() -> Iterator[Measured]:
    """Write an estate, and ask about it."""
    with tempfile.TemporaryDirectory() as temporary:
        server = Postgres(Path("/tmp") / f"adzeguard-bench-{time.time_ns()}")  # noqa: S108 - made anew, and removed
        try:
            yield from _asked(Path(temporary), server.url(), L)
        finally:
            server.stop()


def _asked(place: Path, url: str, size: Size) -> Iterator[Measured]:
    yield Measured("team: a first estate written", size.name, _written(place, url, size), "s", 300)
    folder = place / "looks"
    said = f'{settings_text({"kind": "ldif", "file": "none.ldif"}, (), {})}\n[store]\nurl = "{url}"\n'
    make_workspace(folder, said, charter(size))
    asked = looks(size)
    first = once(lambda: program(*asked[0].arguments, folder=folder))
    yield Measured("team: the first look from a machine, which keeps a copy", size.name, first, "s", 60)
    for look in asked:
        before = floor_of_imports()
        took = seconds(partial(program, *look.arguments, folder=folder), runs=3)
        whole_time = idle(took, (before + floor_of_imports()) / 2)
        bar = look.bar[0] + _FOR_THE_SERVER + _A_STATEMENT * look.statements
        yield Measured(f"team: {look.name}", size.name, whole_time, "s", bar)


def _written(place: Path, url: str, size: Size) -> float:
    """Return the seconds of a first collection, by another machine than the one that looks."""
    collected = collection_of(size)
    store = EstateStore(PostgresDatabase(url), place / "collects" / "present")
    return once(lambda: store.write(*collected))
