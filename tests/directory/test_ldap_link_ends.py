"""Links with an end, as they are written and read."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import ChangeRefusedError
from adzeguard.directory.ldap_link_ends import link_with_end, seconds_left

NOW = datetime(2026, 11, 26, 12, 0, tzinfo=UTC)
DN = "CN=Holt\\, Mira <night>,OU=People,DC=lowmere,DC=example"


@given(st.integers(1, 10**8), st.integers(0, 999_999))
def test_an_end_is_read_as_it_was_written(seconds: int, micro: int) -> None:
    """In whole seconds, never shorter than it was meant, whatever stands in the name."""
    ends = NOW + timedelta(seconds=seconds) - timedelta(microseconds=micro)
    [made] = link_with_end("member", DN, ends, NOW, anew=False)
    left = seconds_left([b"CN=x", *made.values], DN.replace("CN=Holt", "cn=HOLT"))
    assert left is not None
    assert timedelta() <= NOW + timedelta(seconds=left) - ends < timedelta(seconds=1)


def test_one_that_stands_is_replaced_in_one_change_and_one_that_is_over_is_refused() -> None:
    """Taken out by its plain name and put in with its end; without an end it is a link as any other."""
    out, into = link_with_end("member", DN, NOW + timedelta(hours=1), NOW, anew=True)
    assert (out.operation, out.values) == ("delete", (DN.encode(),))
    assert (into.operation, into.values) == ("add", (f"<TTL=3600,{DN}>".encode(),))
    [_, plain] = link_with_end("member", DN, None, NOW, anew=True)
    assert plain.values == (DN.encode(),)
    with pytest.raises(ChangeRefusedError, match="is over"):
        link_with_end("member", DN, NOW, NOW, anew=False)


@pytest.mark.parametrize(
    "link", [DN.encode(), b"<TTL=,CN=x>", b"<TTL=" + b"9" * 5000 + b",CN=x>", b"<TTL=5,CN=x", b"\xff"]
)
def test_what_is_no_link_with_an_end_has_none(link: bytes) -> None:
    """A plain name, half of one, a number without measure, bytes that are no text."""
    assert seconds_left([link], "CN=x") is None
