"""Ways over hosts: half a million logons put into the trail of a large estate, and what they cost those who look."""

import json
import random
import sys
from collections.abc import Iterator, Sequence
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from sqlite3 import connect
from typing import Final

from adzeguard.core.estate.principal import Kind
from adzeguard.core.trail.event import microseconds_of
from bench.large import DOMAIN
from bench.measure import Measured, floor_of_imports

Look = tuple[tuple[str, ...], float, int]
"""A command, with its bars: CPU seconds on an idle core, and megabytes."""
_LOGONS: Final = 500_000
_MORE_A_HOST: Final = 100
_CROWDED: Final = (
    (("reach", r"LOWMERE\Domain Admins", "--over-hosts"), 2.5, 700),
    (("reach", r"LOWMERE\Domain Admins", "--over-hosts", "--cut"), 5.0, 1_000),
)
_LOOKS: Final = (
    (("reach", r"LOWMERE\Domain Admins", "--over-hosts"), 2.5, 700),
    (("reach", r"LOWMERE\Domain Admins", "--over-hosts", "--cut"), 5.0, 1_000),
    (("logons",), 2.0, 250),
    (("check", "--format", "csv"), 3.5, 600),
)


def measured_on(folder: Path, idle_floor: float) -> Iterator[Measured]:
    """Put the logons in, in the order of their times as a log has them, and run the commands."""
    store = folder / ".adzeguard/store.db"
    _put_in(store)
    yield from _measured(folder, _LOOKS, f"with {_LOGONS:,} logons", idle_floor)
    administrators = _crowd(store)
    # Put in behind the store's back: the copy of the hosts knows nothing of it.
    store.with_name("present-hosts").unlink(missing_ok=True)
    yield from _measured(folder, _CROWDED, f"and {administrators:,} administrators", idle_floor)


def _measured(folder: Path, looks: Sequence[Look], told_with: str, idle_floor: float) -> Iterator[Measured]:
    from bench.looks import megabytes_and_cpu

    for arguments, seconds, megabytes in looks:
        command = (sys.executable, "-m", "adzeguard", *arguments)
        taken = []
        for _ in range(3):
            floor = floor_of_imports(runs=1, warm=False)
            memory, cpu = megabytes_and_cpu(command, folder)
            taken.append((cpu * min(1.0, idle_floor / floor), memory))
        cpu, memory = sorted(taken)[1]
        told = f"ways: {' '.join(arguments)}, {told_with}"
        yield Measured(told, "L", cpu, "s", seconds)
        yield Measured(f"{told}, memory", "L", memory, "MB", megabytes)


def _crowd(store: Path) -> int:
    """Put a hundred people by chance among the administrators of each host; return how many there are of all."""
    lot = random.Random(5)
    count = 0
    with closing(connect(store)) as connection, connection:
        rids = [rid for (rid,) in connection.execute("SELECT rid FROM object WHERE kind = ?", (int(Kind.USER),))]
        rows = []
        for host, text in connection.execute("SELECT id, state FROM host WHERE until IS NULL"):
            state = json.loads(text)
            groups = state["parts"]["local-groups"]["groups"]
            administrators = next(group for group in groups if group["name"] == "Administrators")
            more = {f"{DOMAIN.sid}-{rid}" for rid in lot.sample(rids, _MORE_A_HOST)}
            administrators["members"] = sorted({*administrators["members"], *more})
            count += len(administrators["members"])
            rows.append((json.dumps(state, separators=(",", ":")), host))
        connection.executemany("UPDATE host SET state = ? WHERE id = ? AND until IS NULL", rows)
    return count


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
