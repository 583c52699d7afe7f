"""Logs that somebody wrote to do harm: none stops an import, none fills the memory, and what is around it is read."""

import gzip
import io
import json
import tracemalloc
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

from adzeguard.core.errors import InputError
from adzeguard.store.sqlite import SqliteDatabase
from adzeguard.store.trail import Trail
from adzeguard.workflows.trail import import_log
from tests.long_tests import part_of
from tests.trail.test_reading import SAMBA

OWN: dict[str, Any] = {"time": "2026-11-22T02:41:00Z", "verb": "added", "group": "Watch", "member": "ada", "from": "x"}
VALUES: dict[str, str] = {
    "half a character": '"\\ud800"',
    "a byte that is none": '"\udcff"',
    "an end": '"\\u0000"',
    "a terminal's command": '"\\u001b]0;x\\u0007\\u001b[2J"',
    "a text that runs backwards": '"\\u202e\\u2066adda"',
    "a line in a line": '"a\\nb\\r\\n=1+1"',
    "five thousand digits": "9" * 5000,
    "five thousand digits as a text": f'"{"9" * 5000}"',
    "a number of eighty bits": str(1 << 80),
    "a number below nothing": "-1",
    "a number without end": "1e999",
    "no number": "NaN",
    "true": "true",
    "null": "null",
    "a list": "[]",
    "an object": "{}",
    "a thousand lists": "[" * 1000 + "]" * 1000,
    "a hundred thousand lists": "[" * 100_000 + "]" * 100_000,
    "a text of a megabyte": f'"{"x" * 1_000_000}"',
    "a SID of too many parts": f'"S-1-5-{"-".join(["1"] * 300)}"',
    "a day before all days": '"0000-00-00T00:00:00Z"',
    "the last moment of all": '"9999-12-31T23:59:59.999999+00:00"',
}
IN_SAMBA, IN_OWN = ("timestamp", "userSid", "group", "eventId"), ("time", "member", "from")
MARK = "the value"


def with_value(log: str, key: str, value: str) -> bytes:
    """A line of a log with this value."""
    if log == "samba":
        told = SAMBA | {key: MARK} if key in SAMBA else SAMBA | {"groupChange": SAMBA["groupChange"] | {key: MARK}}
    else:
        told = OWN | {key: MARK}
    return json.dumps(told).replace(f'"{MARK}"', value).encode("utf-8", "surrogateescape")


def entities() -> bytes:
    """Entities of entities, which come to gigabytes."""
    lines = ['<!DOCTYPE l [<!ENTITY a0 "lol">']
    lines += [f'<!ENTITY a{n} "{f"&a{n - 1};" * 10}">' for n in range(1, 12)]
    return ("\n".join([*lines, "]>", "<Events><Event>&a11;</Event></Events>"])).encode()


LINES = {
    f"{what} as {key} of {log}": with_value(log, key, value)
    for log, keys in (("samba", IN_SAMBA), ("own", IN_OWN))
    for key in keys
    for what, value in VALUES.items()
}
WHOLE = {
    "a gigabyte of nothing in a megabyte": lambda: gzip.compress(bytes(1 << 28)) * 4,
    "a line without end in a megabyte": lambda: gzip.compress(b"x" * (1 << 28)),
    "entities of entities": entities,
    "elements in elements": lambda: b"<Events>" + b"<Event>" * 200_000,
}
LOGS = [*LINES, *WHOLE]


@pytest.fixture
def trail(tmp_path: Path) -> Iterator[Trail]:
    """Where events are kept."""
    database = SqliteDatabase(tmp_path / "store.db", tmp_path / "lock")
    yield Trail(database)
    database.close()


def test_there_are_as_many_as_were_seen_to_do_harm() -> None:
    """Of which a run that is no long one takes a part."""
    assert len(LOGS) == 158


@pytest.mark.parametrize("log", part_of(LOGS, 40))
def test_a_hostile_log_stops_nothing_and_fills_nothing(trail: Trail, log: str) -> None:
    """What stands before and after it is in the trail; the memory stays near the size of what was read."""
    good = [json.dumps(OWN | {"time": f"2026-11-22T02:4{n}:30Z"}).encode() for n in range(2)]
    content = b"\n".join([good[0], LINES[log], good[1], b""]) if log in LINES else WHOLE[log]()
    tracemalloc.start()
    try:
        with suppress(*([InputError] if log in WHOLE else [])):
            done = import_log(trail, io.BufferedReader(io.BytesIO(content)), "log")  # type: ignore[arg-type]
            assert log in WHOLE or done.events >= len(good)
        assert tracemalloc.get_traced_memory()[1] < len(content) + (64 << 20)
    finally:
        tracemalloc.stop()
    shown = [f"{event.at.astimezone():%Y-%m-%d %H:%M} {event.group} {event.member}" for event in trail.all()]
    assert len(shown) >= 2 * (log in LINES)
