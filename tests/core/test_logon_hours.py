"""Hours of a week: as the directory holds them, in time zones, and in words."""

import re
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import InputError
from adzeguard.core.estate.logon_hours import ALWAYS, from_utc, hours_of, in_words, read_times, to_utc, value_of

HOURS = st.frozensets(st.integers(0, 167))
WHOLE = st.integers(-12, 14).map(lambda hours: timedelta(hours=hours))
MONDAY = datetime(2026, 11, 23, tzinfo=UTC)


@given(HOURS)
def test_the_directory_begins_on_sunday_and_loses_nothing(hours: frozenset[int]) -> None:
    """Each hour is the bit of its day and time in UTC, as [MS-SAMR] 2.2.6.5 counts them, and comes back."""
    value = value_of(hours)
    assert hours_of(value) == hours
    for hour in range(168):
        moment = MONDAY + timedelta(hours=hour)
        from_sunday = moment.isoweekday() % 7 * 24 + moment.hour
        assert bool(value[from_sunday // 8] >> from_sunday % 8 & 1) == (hour in hours)


@given(HOURS, WHOLE)
def test_whole_hours_of_a_time_zone_are_the_same_moments(hours: frozenset[int], offset: timedelta) -> None:
    """The way to UTC and back changes nothing, and each moment is let as it was."""
    there = to_utc(hours, offset)
    assert from_utc(there, offset) == hours
    moved = {int((MONDAY + timedelta(hours=hour) - offset - MONDAY) / timedelta(hours=1)) % 168 for hour in hours}
    assert there == moved


@given(HOURS, st.sampled_from([30, 345, -570]).map(lambda minutes: timedelta(minutes=minutes)))
def test_half_hours_of_a_time_zone_lose_nobody_their_time(hours: frozenset[int], offset: timedelta) -> None:
    """Where hours there begin in the middle of one in UTC, each moment that is wanted is let."""
    there = to_utc(hours, offset)
    for hour in hours:
        for minute in (0, 59):
            moment = MONDAY + timedelta(hours=hour, minutes=minute) - offset
            assert (moment - MONDAY) // timedelta(hours=1) % 168 in there


@given(HOURS)
def test_words_say_the_hours_and_are_read_back(hours: frozenset[int]) -> None:
    """What is shown of any hours means exactly them."""
    words = in_words(hours)
    if words == ["never"]:
        assert not hours
    elif words == ["always"]:
        assert hours == ALWAYS
    else:
        texts = [
            f"{days} {times}" for line in words for days, _, all_ in [line.partition(" ")] for times in all_.split(", ")
        ]
        assert read_times(texts) == hours


@pytest.mark.parametrize(
    ("text", "hours"),
    [
        ("Mon 07:00-08:00", {7}),
        ("mon-tue 0:00-1:00", {0, 24}),
        ("Sat, Mon 23:00-24:00", {23, 143}),
        ("Fri-Mon 00:00-01:00", {0, 96, 120, 144}),
        ("Sun 22:00-02:00", {166, 167, 0, 1}),
        ("Wed 05:00-05:00", set(range(53, 77))),
    ],
)
def test_times_are_read_as_people_write_them(text: str, hours: set[int]) -> None:
    """Days by name, one, several or from one to another; past midnight into the next day."""
    assert read_times([text]) == hours


@given(
    st.text(max_size=30)
    | st.from_regex(re.compile(r"[A-Z][a-z]{2}-?[A-Z]?[a-z]{0,2} \d\d:\d\d-\d\d:\d\d", re.ASCII), fullmatch=True)
)
def test_what_is_no_time_is_refused_in_one_line(text: str) -> None:
    """Anything else is an error of ours, never another one."""
    try:
        assert read_times([text]) <= ALWAYS
    except InputError as error:
        assert text in error.message


def test_clocks_that_are_changed_move_the_hours_in_utc() -> None:
    """Seven in the morning in London is six in UTC in summer."""
    london = ZoneInfo("Europe/London")
    wanted = read_times(["Mon 07:00-08:00"])
    summer, winter = (datetime(2026, month, 6, tzinfo=london).utcoffset() for month in (7, 1))
    assert (to_utc(wanted, summer), to_utc(wanted, winter)) == ({6}, {7})
