"""When contracts end, by what attributes say."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import InputError
from adzeguard.core.time.contract import end_of_contract

OSLO = ZoneInfo("Europe/Oslo")


@given(st.integers(0, 8000 * 365 * 86_400))
def test_steps_and_stamps_are_the_same_moment(seconds: int) -> None:
    """100 nanoseconds since 1601, and a moment in UTC as directories write it."""
    whole = datetime(1970, 1, 1, tzinfo=UTC) + timedelta(seconds=seconds)
    steps = int((whole - datetime(1601, 1, 1, tzinfo=UTC)).total_seconds()) * 10_000_000
    assert end_of_contract(str(steps), None) == whole
    assert end_of_contract(f"{whole:%Y%m%d%H%M%S}.0Z", None) == whole


@given(st.dates(date(1970, 1, 1), date(9990, 1, 1)))
def test_a_last_day_is_over_with_its_midnight(last: date) -> None:
    """In the zone that is given: the whole day still counts, on days of 23 and of 25 hours too."""
    end = end_of_contract(last.isoformat(), OSLO)
    assert end is not None
    assert (end - timedelta(seconds=1)).astimezone(OSLO).date() == last
    assert end.astimezone(OSLO).date() == last + timedelta(days=1)
    assert end_of_contract(f"{last:%Y%m%d}", OSLO) == end


@pytest.mark.parametrize("value", ["", " ", "0", "9223372036854775807"])
def test_no_date_is_no_end(value: str) -> None:
    """Nothing, and what directories write for never."""
    assert end_of_contract(value, OSLO) is None


@pytest.mark.parametrize("value", ["2026-02-30", "soon", "1", "99999999", "20261399000000Z", "9" * 19, "9" * 500])
def test_what_is_no_date_is_refused(value: str) -> None:
    """Never taken for a contract without end, nor for one that is over."""
    with pytest.raises(InputError, match="is no date"):
        end_of_contract(value, OSLO)
