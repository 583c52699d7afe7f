"""A log that is read in parts, and by another process."""

import json
from io import BufferedReader, BytesIO
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from adzeguard.store.sqlite import SqliteDatabase
from adzeguard.store.trail import Trail
from adzeguard.trail import reading
from adzeguard.trail.reading import is_of_plain_lines, lines, whole_lines
from adzeguard.workflows import trail as workflow
from adzeguard.workflows.trail import import_log, part_of, part_of_lines

GOOD = b'{"time":"2026-11-22T02:40:00+00:00","verb":"added","group":"G","member":"M"}'
LINES = st.sampled_from([GOOD, GOOD + b"\r", b"", b"no record", b"{broken", b"x" * 130, b"\xff\xfe", b"\x00"])


@given(st.lists(LINES, max_size=12), st.integers(1, 200), st.booleans())
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_parts_come_to_the_whole(monkeypatch: pytest.MonkeyPatch, some: list[bytes], size: int, ended: bool) -> None:
    """Wherever it is cut, also in lines that are too long: no record is lost, none is told twice."""
    monkeypatch.setattr(reading, "LONGEST_LINE", 120)
    log = b"\n".join(some) + (b"\n" if ended else b"")
    blocks = list(whole_lines(BytesIO(log), size))
    assert all(block.endswith(b"\n") for block in blocks[:-1] if len(block) < 120)
    parts = [part_of_lines(block) for block in blocks]
    whole = part_of(lines(BytesIO(log)))
    assert sum(part.read for part in parts) == whole.read
    assert [row for part in parts for row in part.rows] == list(whole.rows)
    assert [one for part in parts for one in part.aside] == list(whole.aside)


@pytest.mark.parametrize(
    ("start", "plain"),
    [
        (GOOD, True),
        (b"\xef\xbb\xbf" + GOOD, True),
        (b"<13>1 - - - - - - x", True),
        (b"<Events>", False),
        (b"\x1f\x8b", False),
        (b"", False),
    ],
)
def test_what_is_read_in_parts(start: bytes, plain: bool) -> None:
    """Lines are; XML and what is compressed are read in one go."""
    assert is_of_plain_lines(BufferedReader(BytesIO(start))) is plain


def test_a_long_log_is_read_by_another_process(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Every event of it once, in the order of the log; read again it adds nothing."""
    monkeypatch.setattr(workflow, "_BLOCK", 4096)
    monkeypatch.setattr(workflow, "_BLOCKS_ALONE", 2)
    log = tmp_path / "log"
    rows = [{"time": f"2026-11-22T02:{n // 60:02}:{n % 60:02}+00:00", "verb": "added"} for n in range(1000)]
    log.write_text("".join(json.dumps({**row, "group": "G", "member": f"M{n}"}) + "\n" for n, row in enumerate(rows)))
    trail = Trail(SqliteDatabase(tmp_path / "store.db", tmp_path / "lock"))
    for new in (1000, 0):
        with log.open("rb") as file:
            done = import_log(trail, file, "log")
        assert (done.read, done.events, done.already_known, done.set_aside) == (1000, new, 1000 - new, 0)
    assert [event.member for event in trail.all()] == [f"M{n}" for n in range(1000)]
