"""Answers of a directory server, read from bytes: right ones, cut ones, and lies."""

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import DirectoryError
from adzeguard.directory.ldap import complete_ranges
from adzeguard.directory.ldap_messages import SEARCH_ENTRY, message_end, message_kind, read_done, read_entry
from tests.directory.lying import entry

attribute = st.tuples(
    st.from_regex(r"[a-z][a-z0-9;=-]{0,20}", fullmatch=True), st.lists(st.binary(max_size=300), max_size=4)
)


@given(st.integers(0, 2**31 - 1), st.text(max_size=50), st.lists(attribute, max_size=5, unique_by=lambda a: a[0]))
def test_an_entry_is_read_as_another_library_wrote_it(number: int, dn: str, attributes: list) -> None:
    """Number, name and raw values equal those that were encoded; the end of the message is found."""
    dn = dn.encode("utf-8", "replace").decode()
    message = entry(number, dn, dict(attributes))

    assert message_end(message + b"more", 0) == len(message)
    assert message_kind(message)[:2] == (number, SEARCH_ENTRY)
    assert read_entry(message) == (dn, dict(attributes))


@given(st.binary(max_size=120), st.integers(0, 200), st.integers(0, 255))
def test_any_bytes_are_an_answer_or_an_error_of_ours(noise: bytes, place: int, byte: int) -> None:
    """Noise, and a good message with one byte changed or its end cut off, never fail in another way."""
    good = entry(7, "CN=a,DC=lowmere", {"member": [b"x" * 40, b"y"], "objectclass": [b"group"]})
    changed = bytearray(good)
    changed[place % len(good)] = byte
    for message in (noise, bytes(changed), good[: place % len(good)], b"\x30\x84\xff\xff\xff\xff" + noise):
        for read in (lambda raw: message_end(raw, 0), message_kind, read_entry, read_done):
            try:
                read(message)
            except DirectoryError:
                continue


def served(
    total: int, step: int
) -> tuple[dict[str, list[bytes]], Callable[[str], dict[str, list[bytes]]], list[bytes]]:
    """A server that gives the values of member a few at a time."""
    everything = [f"CN=p{n}".encode() for n in range(total)]

    def part(start: int) -> dict[str, list[bytes]]:
        end = min(start + step, total)
        bound = "*" if end == total else str(end - 1)
        return {f"member;range={start}-{bound}": everything[start:end]}

    return {"cn": [b"g"], **part(0)}, lambda wanted: part(int(wanted.partition("=")[2].partition("-")[0])), everything


@given(st.integers(1, 60), st.integers(1, 20))
def test_values_given_in_ranges_are_put_together(total: int, step: int) -> None:
    """All values come in their order, whatever the size of the ranges; other attributes stay."""
    first, fetch, everything = served(total, step)

    assert complete_ranges(first, fetch) == {"cn": [b"g"], "member": everything}


def test_a_server_that_goes_round_in_circles_is_an_error() -> None:
    """A range that begins where it should not would make the reading endless."""
    with pytest.raises(DirectoryError, match="out of order"):
        complete_ranges({"member;range=0-1": [b"a", b"b"]}, lambda _: {"member;range=0-1": [b"a", b"b"]})
