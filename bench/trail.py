"""A log of a million events read into the trail, once more, and looked at; with what the smallest program takes."""

import json
import shutil
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path
from sqlite3 import connect

from bench.large import BASE, DOMAIN, T
from bench.looks import megabytes_and_cpu
from bench.measure import Measured, floor_of_imports, idle
from bench.stored import write_estate

_EVENTS = 1_000_000
_EVERY_SECONDS = 25
_SAMPLE = 100_000
_TURNS = 3
"""The best of them counts, as of the looks: what else the machine does takes time and gives none."""
_LOOKS = (
    (("history",), 2.0, 250),
    (("history", "--limit", "5"), 1.0, 120),
    (("history", "--since", "30d"), 2.0, 250),
    (("history", "group.000300"), 2.0, 250),
    (("history", "group.000300", "--drawn"), 2.0, 250),
    (("logons",), 2.0, 250),
    (("logons", "--limit", "5"), 1.0, 120),
)


def run() -> Iterator[Measured]:
    """Read the log with the program itself, then again, which adds nothing; then look at what it tells."""
    with tempfile.TemporaryDirectory() as temporary:
        empty, folder, log = Path(temporary) / "empty", Path(temporary) / "t", Path(temporary) / "audit.log"
        write_estate(empty, T)
        _write(log)
        yield Measured(
            "trail: lines that Python's JSON reader alone takes apart", "1 M", _json_alone(log), "/s", 0, True
        )
        rates = [_imported_anew_and_again(empty, folder, log) for _ in range(_TURNS)]
        for what, found in zip(("imported", "imported that were known"), zip(*rates, strict=True), strict=True):
            yield Measured(f"trail: lines {what}, a CPU second", "1 M", max(found), "/s", 45_000, at_least=True)
        alone = _rows_alone(folder / ".adzeguard/store.db")
        yield Measured("trail: the same rows put in by SQLite alone, with their indexes", "1 M", alone, "/s", 0, True)
        for arguments, bar, memory in _LOOKS:
            floor = floor_of_imports()
            command = (sys.executable, "-m", "adzeguard", *arguments)
            measured = [megabytes_and_cpu(command, folder) for _ in range(3)]
            told = f"trail: {' '.join(arguments)}"
            yield Measured(told, "1 M", idle(min(cpu for _, cpu in measured), floor), "s", bar)
            yield Measured(f"{told}, memory", "1 M", min(megabytes for megabytes, _ in measured), "MB", memory)


def _imported_anew_and_again(empty: Path, folder: Path, log: Path) -> tuple[float, float]:
    """Return how many lines a CPU second are read into a new trail, and how many that it knows already."""
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(empty, folder)
    return _rate(folder, log), _rate(folder, log)


def _rate(folder: Path, log: Path) -> float:
    floor = floor_of_imports()
    _, cpu = megabytes_and_cpu((sys.executable, "-m", "adzeguard", "trail", "import", str(log)), folder)
    floor = (floor + floor_of_imports()) / 2  # the machine may change its pace while a million lines are read
    return _EVENTS / idle(cpu, floor)


def _json_alone(log: Path) -> float:
    floor = floor_of_imports()
    with log.open("rb") as file:
        lines = [next(file) for _ in range(_SAMPLE)]
    begun = time.process_time()
    for line in lines:
        json.loads(line)
    return _SAMPLE / idle(time.process_time() - begun, floor)


def _rows_alone(store: Path) -> float:
    """Return how many rows of the trail SQLite puts into a new file in a CPU second, without a line of Python each."""
    with tempfile.TemporaryDirectory() as temporary, closing(connect(Path(temporary) / "alone.db")) as alone:
        alone.execute("PRAGMA journal_mode = WAL")
        alone.execute("PRAGMA cache_size = -65536")
        alone.execute("ATTACH ? AS full", (str(store),))
        made = alone.execute(
            "SELECT sql FROM full.sqlite_master WHERE tbl_name = 'trail' AND sql <> '' ORDER BY type DESC"
        )
        for (words,) in made.fetchall():
            alone.execute(words)
        floor = floor_of_imports()
        begun = time.process_time()
        with alone:
            alone.execute('INSERT INTO trail SELECT * FROM full.trail ORDER BY "key"')
        return _EVENTS / idle(time.process_time() - begun, floor)


def _write(log: Path) -> None:
    """Write seven changes of memberships for three logons, up to today."""
    begun = datetime.now(UTC) - timedelta(seconds=_EVENTS * _EVERY_SECONDS)
    with log.open("w") as file:
        for n in range(_EVENTS):
            lot = n * 2_654_435_761 % (1 << 32)
            sid, person = f"{DOMAIN.sid}-{1100 + (lot >> 4) % T.people}", f"person.{(lot >> 4) % T.people:07}"
            stamp = f"{begun + timedelta(seconds=n * _EVERY_SECONDS):%Y-%m-%dT%H:%M:%S}.{n % 1_000_000:06}+0000"
            kind = "groupChange" if n % 10 < 7 else "Authorization"
            body = {
                "groupChange": {
                    "eventId": 4728,
                    "action": "Removed" if lot >> 3 & 1 else "Added",
                    "userSid": f"{DOMAIN.sid}-{1100 + lot % 20}",
                    "group": f"CN=group.{(lot >> 9) % T.groups:06},OU=Groups,{BASE}",
                    "user": f"CN={person},OU=People,{BASE}",
                },
                "Authorization": {
                    "localAddress": "ipv4:192.0.2.1:389",
                    "serviceDescription": "LDAP",
                    "authType": "krb5",
                    "domain": "LOWMERE",
                    "account": person,
                    "sid": sid,
                },
            }[kind]
            about = {"version": {"major": 1}, "statusCode": 0, "status": "Success"}
            record = {
                "timestamp": stamp,
                "type": kind,
                kind: {**about, "remoteAddress": "ipv4:192.0.2.7:49153", **body},
            }
            file.write(f"  {json.dumps(record)}\n")
