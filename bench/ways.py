"""Ways over hosts: half a million logons put into the trail of a large estate, and what they cost those who look."""

import random
import sys
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from sqlite3 import connect
from typing import Final

from adzeguard.core.estate.principal import Kind
from adzeguard.core.trail.event import microseconds_of
from bench.large import DOMAIN
from bench.measure import Measured, floor_of_imports

_LOGONS: Final = 500_000
_LOOKS: Final = (
    (("reach", r"LOWMERE\Domain Admins", "--over-hosts"), 2.5, 700),
    (("reach", r"LOWMERE\Domain Admins", "--over-hosts", "--cut"), 5.0, 1_000),
    (("logons",), 2.0, 250),
    (("check", "--format", "csv"), 3.5, 600),
)


def measured_on(folder: Path, idle_floor: float) -> Iterator[Measured]:
    """Put the logons in, in the order of their times as a log has them, and run the commands."""
    from bench.looks import megabytes_and_cpu

    _put_in(folder / ".adzeguard/store.db")
    for arguments, seconds, megabytes in _LOOKS:
        command = (sys.executable, "-m", "adzeguard", *arguments)
        taken = []
        for _ in range(3):
            floor = floor_of_imports(runs=1, warm=False)
            memory, cpu = megabytes_and_cpu(command, folder)
            taken.append((cpu * min(1.0, idle_floor / floor), memory))
        cpu, memory = sorted(taken)[1]
        told = f"ways: {' '.join(arguments)}, with {_LOGONS:,} logons"
        yield Measured(told, "L", cpu, "s", seconds)
        yield Measured(f"{told}, memory", "L", memory, "MB", megabytes)


def _put_in(store: Path) -> None:
    lot = random.Random(27)
    now = microseconds_of(datetime.now(UTC))
    month = int(timedelta(days=29).total_seconds() * 1_000_000)
    times = sorted(now - lot.randrange(month) for _ in range(_LOGONS))
    with closing(connect(store)) as connection, connection:
        people = connection.execute("SELECT name, rid FROM object WHERE kind = ?", (int(Kind.USER),)).fetchall()
        hosts = [name for (name,) in connection.execute("SELECT o.name FROM host h JOIN object o ON o.id = h.id")]
        rows = []
        for number, at in enumerate(times):
            name, rid = lot.choice(people)
            key = (at + (1 << 62)).to_bytes(8, "big") + number.to_bytes(16, "big")
            told = (lot.choice(hosts), "", rf"LOWMERE\{name}", f"{DOMAIN.sid}-{rid}", "192.0.2.7", 0, "")
            rows.append((key, at, "logon", "", "", *told, lot.choice(("console", "remote", "service", "batch"))))
        connection.executemany("INSERT INTO trail VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", rows)
