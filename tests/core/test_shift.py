"""Shifts as functions of a given now: by calendar, in time zones, on the days on which clocks are changed."""

from datetime import UTC, date, datetime, time, timedelta

import pytest
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import InputError
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.recurrence import check_rule, starts
from adzeguard.core.time.shift import Shift, now_working, stretches, week_of, zone_of
from adzeguard.workflows.shifts import beginning

MONDAY = date(2026, 3, 23)


def shift(rule: str = "FREQ=DAILY", begins: str = "08:00", ends: str = "18:00", **more: object) -> Shift:
    """A shift of somebody in a group."""
    about = {"zone": "Europe/London", "first": MONDAY, "days_off": ()} | more
    return Shift(
        "S1",
        "ada",
        "S-1-5-21-1-1-1-1",
        "Crew",
        "S-1-5-21-1-1-1-2",
        "",
        rule,
        about["first"],
        time.fromisoformat(begins),
        time.fromisoformat(ends),
        str(about["zone"]),
        "root",
        days_off=about["days_off"],
    )


def utc(text: str) -> datetime:
    """A time in UTC."""
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def between(one: Shift, since: str, until: str) -> list[tuple[datetime, datetime]]:
    """The stretches of a time."""
    return [(s.begin, s.end) for s in stretches(one, utc(since), utc(until))]


def test_the_clock_on_the_wall_counts_when_clocks_are_changed() -> None:
    """Eight in the morning is an hour earlier in UTC from the Sunday on which summer time begins, and later again."""
    days = between(shift(), "2026-03-28", "2026-03-30")
    assert days == [
        (utc("2026-03-28T08:00"), utc("2026-03-28T18:00")),
        (utc("2026-03-29T07:00"), utc("2026-03-29T17:00")),
    ]
    assert between(shift(), "2026-10-25", "2026-10-26") == [(utc("2026-10-25T08:00"), utc("2026-10-25T18:00"))]
    night = shift(begins="22:00", ends="06:00")
    assert [end - begin for begin, end in between(night, "2026-03-28T12:00", "2026-03-29T12:00")] == [
        timedelta(hours=7)
    ]
    assert [end - begin for begin, end in between(night, "2026-10-24T12:00", "2026-10-25T12:00")] == [
        timedelta(hours=9)
    ]
    missing = shift(begins="01:30", ends="03:00")
    assert between(missing, "2026-03-29", "2026-03-29T12:00") == [(utc("2026-03-29T01:30"), utc("2026-03-29T02:00"))]


def test_days_off_leap_days_and_rules_are_kept() -> None:
    """Weekdays alone, not on a holiday; the twenty-ninth of February in the years that have one."""
    crew = shift("FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", days_off=(date(2026, 4, 3), date(2026, 4, 6)))
    begun = [begin.date() for begin, _ in between(crew, "2026-04-02", "2026-04-08")]
    assert begun == [date(2026, 4, 2), date(2026, 4, 7)]
    leap = shift("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", first=date(2024, 2, 29))
    assert [begin.year for begin, _ in between(leap, "2024-01-01", "2034-01-01")] == [2024, 2028, 2032]


ZONES = st.sampled_from(["UTC", "Europe/London", "America/St_Johns", "Pacific/Chatham", "Asia/Kolkata"])
CLOCK = st.integers(0, 23).map(lambda hour: f"{hour:02}:30")


@given(
    ZONES,
    CLOCK,
    CLOCK,
    st.integers(0, 730 * 24 * 60).map(lambda minutes: utc("2026-01-01") + timedelta(minutes=minutes)),
)
def test_whoever_works_now_works_until_the_end_and_begins_again_after_it(
    zone: str, begins: str, ends: str, now: datetime
) -> None:
    """Each moment is in one stretch at most, and in one exactly when a look around it finds one."""
    one = shift(begins=begins, ends=ends, zone=zone, first=date(2025, 12, 1))
    around = [s for s in stretches(one, now - timedelta(days=2), now + timedelta(days=2)) if s.begin <= now < s.end]
    working = now_working(one, now)
    assert ([working] if working else []) == around[:1]
    assert len(around) <= 1
    for stretch in around:
        assert stretch.begin.astimezone(zone_of(zone)).strftime("%H:%M") in (begins, _later(begins))
        assert timedelta() < stretch.end - stretch.begin <= timedelta(hours=25)


def _later(clock: str) -> str:
    """The same an hour later: what is left out in the night on which clocks are changed."""
    hour, minute = clock.split(":")
    return f"{(int(hour) + 1) % 24:02}:{minute}"


@given(st.integers(0, 6), st.integers(0, 23))
def test_the_picture_of_a_week_is_what_is_worked(day: int, hour: int) -> None:
    """Each hour that is touched is marked, and no other."""
    one = shift("FREQ=WEEKLY;BYDAY=MO,WE", zone="UTC")
    week = week_of(one, utc("2026-03-23T11:00"))
    assert week[day][hour] == (day in (0, 2) and 8 <= hour < 18)


def test_a_stretch_is_begun_once_also_when_somebody_ended_it() -> None:
    """No second lease of the same stretch, however often a round is made; the next day there is one again."""
    one, now = shift(zone="UTC"), utc("2026-03-24T09:00")
    [lease] = beginning([one], [], now)
    assert (lease.until, lease.shift) == (utc("2026-03-24T18:00"), "S1")
    running = Lease("L1", *("x",) * 5, now, lease.until, "root", shift="S1", state="ended", ended=now)
    assert list(beginning([one], [running], now + timedelta(hours=1))) == []
    assert len(list(beginning([one], [running], now + timedelta(days=1)))) == 1
    assert list(beginning([one], [], utc("2026-03-24T18:00"))) == []


BEGIN = datetime(2026, 1, 1, 8)  # noqa: DTZ001 - the clock on a wall


@pytest.mark.parametrize(
    "rule",
    [
        "",
        "DAILY",
        "FREQ=HOURLY",
        "FREQ=DAILY\nDTSTART:20260101",
        "FREQ=WEEKLY;BYDAY=XX",
        "FREQ=" + "D" * 600,
        "FREQ=DAILY;INTERVAL=0",
        "FREQ=DAILY;INTERVAL=-1",
        "FREQ=DAILY;INTERVAL=1;INTERVAL=2",
        "FREQ=DAILY;COUNT=0",
        "FREQ=DAILY;COUNT=2;UNTIL=20270101",
        "FREQ=DAILY;UNTIL=20261301",
        "FREQ=DAILY;UNTIL=soon",
        "FREQ=DAILY;EXRULE=FREQ",
        "FREQ=DAILY;BYHOUR=8,12",
        "FREQ=DAILY;BYHOUR=24",
        "FREQ=WEEKLY;BYDAY=1MO",
        "FREQ=MONTHLY;BYDAY=0MO",
        "FREQ=MONTHLY;BYDAY=54MO",
        "FREQ=MONTHLY;BYMONTHDAY=32",
        "FREQ=WEEKLY;BYMONTHDAY=1",
        "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30",
        "FREQ=YEARLY;BYMONTH=13",
        "FREQ=YEARLY;BYMONTH=-1",
        "FREQ=DAILY;",
        "FREQ=DAILY;BYSETPOS=2",
        "FREQ=DAILY;INTERVAL=\u0661",
    ],
)
def test_what_is_no_rule_of_days_is_refused(rule: str) -> None:
    """In one line, with an example of one."""
    with pytest.raises(InputError, match="FREQ=WEEKLY") as raised:
        check_rule(rule, BEGIN)
    assert len(str(raised.value)) < 300


@pytest.mark.parametrize("rule", ["FREQ=DAILY;UNTIL=20251231", "FREQ=DAILY;INTERVAL=7;BYDAY=FR"])
def test_what_never_comes_is_refused(rule: str) -> None:
    """A shift that nobody ever works is a mistake in its rule: the first of January 2026 is a Thursday."""
    with pytest.raises(InputError, match="never comes"):
        check_rule(rule, BEGIN)


def test_a_day_that_ends_a_rule_is_one_of_its_days() -> None:
    """By the day, as the standard takes it; a time ends it at that time, and a number after so many."""
    end = BEGIN + timedelta(days=30)
    assert [one.day for one in starts("FREQ=DAILY;UNTIL=20260103", BEGIN, BEGIN, end)] == [1, 2, 3]
    assert [one.day for one in starts("FREQ=DAILY;UNTIL=20260103T075959", BEGIN, BEGIN, end)] == [1, 2]
    assert [one.day for one in starts("FREQ=DAILY;COUNT=4", BEGIN, BEGIN + timedelta(days=2), end)] == [3, 4]


@given(
    st.sampled_from(
        [
            "FREQ=DAILY;INTERVAL=3",
            "FREQ=WEEKLY;INTERVAL=2;WKST=SU;BYDAY=TU,SU",
            "FREQ=MONTHLY;BYDAY=-1FR,2MO",
            "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1",
            "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO",
            "FREQ=YEARLY;BYYEARDAY=-1,100",
            "RRULE:FREQ=MONTHLY;BYMONTHDAY=-1,31;COUNT=9",
        ]
    ),
    st.integers(0, 900),
    st.integers(0, 400),
)
def test_a_rule_comes_to_the_days_that_the_library_says(rule: str, after: int, days: int) -> None:
    """Whatever part of it is asked for."""
    since = BEGIN + timedelta(days=after)
    until = since + timedelta(days=days)
    theirs = rrulestr(rule.removeprefix("RRULE:"), dtstart=BEGIN).between(since, until, inc=True)
    assert list(starts(rule, BEGIN, since, until)) == theirs
