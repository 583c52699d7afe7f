"""A log of a million lines read into the trail, and once more."""

import json
import resource
import tempfile
from collections.abc import Iterator
from pathlib import Path

from adzeguard.store.sqlite import SqliteDatabase
from adzeguard.store.trail import Trail
from adzeguard.workflows.trail import import_log
from bench.measure import Measured, once

_LINES = 1_000_000


def run() -> Iterator[Measured]:
    """Read it, with the memory that it takes; read again it adds nothing."""
    with tempfile.TemporaryDirectory() as temporary:
        log = Path(temporary) / "audit.log"
        _write(log)
        trail = Trail(SqliteDatabase(Path(temporary) / "store.db", Path(temporary) / "lock"))
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        first = once(lambda: _read(trail, log, _LINES))
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        again = once(lambda: _read(trail, log, 0))
    yield Measured("trail import", "1 M", _LINES / first, "/s", 40_000, at_least=True)
    yield Measured("trail import of what is known", "1 M", _LINES / again, "/s", 40_000, at_least=True)
    # The store keeps 64 MiB of its pages in memory, however long the log is.
    yield Measured("trail import: memory", "1 M", grown, "MiB", 128)


def _read(trail: Trail, log: Path, new: int) -> None:
    with log.open("rb") as file:
        done = import_log(trail, file, str(log))
    if (done.read, done.events, done.set_aside) != (_LINES, new, 0):
        raise RuntimeError(done)


def _write(log: Path) -> None:
    body = {"eventId": 4728, "statusCode": 0, "status": "Success", "remoteAddress": "ipv4:192.0.2.7:49153"}
    with log.open("w") as file:
        for n in range(_LINES):
            stamp = f"2026-{n // 90_000 % 12 + 1:02}-{n // 3000 % 28 + 1:02}T{n // 125 % 24:02}:00:00.{n:06}+0000"
            member = {
                "action": "Removed" if n % 2 else "Added",
                "userSid": f"S-1-5-21-1255864297-935535935-2830518239-{1100 + n % 40}",
                "group": f"CN=Group {n % 3000},OU=Groups,DC=lowmere,DC=example",
                "user": f"CN=Person {n % 50_000},OU=People,DC=lowmere,DC=example",
            }
            record = {
                "timestamp": stamp,
                "type": "groupChange",
                "groupChange": {"version": {"major": 1}, **body, **member},
            }
            file.write(f"  {json.dumps(record)}\n")
