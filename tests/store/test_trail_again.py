"""A log that is read again, in other parts or by a newer version, adds nothing and is understood anew."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.trail.event import Event
from adzeguard.store.trail import Trail, trail_row
from tests.store.conftest import New

NOON = datetime(2026, 11, 2, 12, tzinfo=UTC)
_PARTS = st.tuples(st.sampled_from(["console", "remote"]), st.lists(st.integers(0, 12), max_size=9))
"""How a version of the program understands what it reads, and which lines of a log these are, some of them twice."""


@given(st.lists(_PARTS, min_size=1, max_size=6))
def test_what_is_told_again_is_known(new_store: New, parts: list[tuple[str, list[int]]]) -> None:
    """Each line counts as new once, with any others beside it, and is kept as it was understood last."""
    trail, kept = Trail(new_store()), dict[int, str]()
    for way, lines in parts:
        events = {n: Event(NOON + timedelta(minutes=n), "logon", member=f"P{n}", way=way) for n in lines}
        assert trail.add([trail_row(f"line {n}", events[n]) for n in lines], [], "log") == len(events.keys() - kept)
        kept |= dict.fromkeys(lines, way)
        assert [(event.member, event.way) for event in trail.all()] == [(f"P{n}", kept[n]) for n in sorted(kept)]
