"""Changes of ours that a log should show."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known
from adzeguard.workflows.past import AROUND
from adzeguard.workflows.past_members import unseen

BEGIN = datetime(2026, 11, 1, tzinfo=UTC)
END = BEGIN + timedelta(hours=1)


def known(seconds: int, source: str, member: str = "S-1-5-21-1", verb: str = "added") -> Known:
    """Something that was done to a membership."""
    event = Event(BEGIN + timedelta(seconds=seconds), verb, group="G", member=member, source=source)
    return Known(event, "S-1-5-21-9", member)


def test_what_no_log_shows_is_told() -> None:
    """Also where another member's change, another verb, or a collection of ours stands in its place."""
    ours = known(100, "journal")
    others = [
        known(100, "trail", "S-1-5-21-2"),
        known(100, "trail", verb="removed"),
        known(100, "collections"),
        known(100 + int(AROUND.total_seconds()) + 1, "trail"),
    ]
    [one] = unseen([ours], others, BEGIN, END)
    assert (one.at, one.words) == (ours.event.at, "added S-1-5-21-1 to G")


@given(st.integers(-100, 4000), st.integers(-40, 40))
def test_what_a_log_shows_or_could_not_is_not_told(seconds: int, late: int) -> None:
    """Told at about that time, or outside of the time that the log covers."""
    ours = known(seconds, "journal")
    missed = unseen([ours], [known(seconds + late, "trail")], BEGIN, END)
    covered = 0 <= seconds <= 3600
    assert bool(missed) == (covered and abs(late) > AROUND.total_seconds())
