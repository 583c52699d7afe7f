"""Leases as functions of a given now."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.time.lease import Lease, due, stood_before, takes_away

NOON = datetime(2026, 3, 28, 12, tzinfo=UTC)
LENGTHS = st.integers(1, 100_000).map(lambda minutes: timedelta(minutes=minutes))
JUMPS = st.integers(-100_000, 100_000).map(lambda minutes: timedelta(minutes=minutes))


def lease(name: str = "L1", length: timedelta = timedelta(hours=2), **more: object) -> Lease:
    """A lease that begins at noon on the day before clocks are changed."""
    one = Lease(name, "ada", "S-1-5-21-1-1-1-1", "Crew", "S-1-5-21-1-1-1-2", "", NOON, NOON + length, "root")
    return replace(one, **more)


@given(LENGTHS, st.timedeltas(timedelta(0), timedelta(days=100)))
def test_it_is_due_from_its_end_on_and_not_before(length: timedelta, passed: timedelta) -> None:
    """To the second, across changed clocks and leap days: what is left and what is late add up."""
    one = lease(length=length)
    now = NOON + passed
    assert bool(due([one], now)) == (passed >= length)
    assert one.left(now) - one.late(now) == length - passed
    assert due([replace(one, state="ended", ended=now)], now + timedelta(days=999)) == []


@given(LENGTHS, st.timedeltas(timedelta(0), timedelta(days=60)), JUMPS)
def test_a_clock_that_jumps_ends_nothing_earlier_than_by_its_jump_and_revives_nothing(
    length: timedelta, passed: timedelta, jump: timedelta
) -> None:
    """Wrong by so much, it is ended too early by at most that; set back, what has ended stays ended."""
    one = lease(length=length)
    if due([one], NOON + passed + jump):
        assert passed >= length - max(jump, timedelta())
        ended = replace(one, state="ended", ended=NOON + passed + jump)
        assert not ended.is_open
        assert due([ended], NOON + passed) == []


def test_daylight_saving_neither_shortens_nor_lengthens_it() -> None:
    """Two hours are two hours in the night in which one is missing, or is there twice."""
    for night in (datetime(2026, 3, 29, 0, 30, tzinfo=UTC), datetime(2026, 10, 25, 0, 30, tzinfo=UTC)):
        one = replace(lease(), begun=night, until=night + timedelta(hours=2))
        assert due([one], night + timedelta(hours=2) - timedelta(seconds=1)) == []
        assert due([one], night + timedelta(hours=2)) == [one]


@given(st.lists(st.tuples(st.booleans(), st.integers(0, 9), st.integers(1, 9)), max_size=8), st.booleans())
def test_a_membership_goes_with_its_last_lease_and_never_before(turns: list, began_inside: bool) -> None:
    """However leases of one membership overlap, and in whichever order they end; what stood before stays."""
    inside, leases = began_inside, []
    for number, (begins, which, hours) in enumerate(turns):
        open_ = [one for one in leases if one.is_open]
        if begins or not open_:
            one = lease(f"L{number}", timedelta(hours=hours))
            leases.append(replace(one, stood_before=stood_before(one, leases, inside=inside)))
            inside = True
        else:
            one = open_[which % len(open_)]
            inside = inside and not takes_away(one, leases)
            leases[leases.index(one)] = replace(one, state="ended", ended=NOON)
        assert inside == (began_inside or any(one.is_open for one in leases))
