"""SIDs and names."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid, escape_dn_value, fold_dn, leaf_name, parent_dn, split_dn, unescape_dn_value

numbers = st.lists(st.integers(0, 2**32 - 1), min_size=1, max_size=15)


@given(st.integers(0, 2**48 - 1), numbers)
def test_a_sid_survives_both_its_forms(authority: int, parts: list[int]) -> None:
    """Text to bytes and back is the same SID."""
    sid = Sid.parse(f"S-1-{authority}-" + "-".join(map(str, parts)))

    assert Sid.from_bytes(sid.to_bytes()) == sid
    assert Sid.parse(f" {sid.lower()} ") == sid


@given(st.one_of(st.text(), st.from_regex(r"S-1-[0-9-]*")), st.binary(max_size=80))
def test_what_is_no_sid_is_an_input_error(text: str, raw: bytes) -> None:
    """Any text and any bytes give a SID or an error of ours, and no other exception."""
    for read, value in ((Sid.parse, text), (Sid.from_bytes, raw)):
        try:
            assert read(value).startswith("S-1-")
        except InputError:
            continue


@given(st.text(min_size=1).filter(lambda value: "\0" not in value))
def test_any_value_can_stand_in_a_name(value: str) -> None:
    """An escaped value is one relative name, gives itself back, and keeps the parent apart."""
    value = value.encode("utf-8", "replace").decode()
    dn = f"CN={escape_dn_value(value)},OU=Quay,DC=lowmere"

    assert unescape_dn_value(escape_dn_value(value)) == value
    assert len(split_dn(dn)) == 3
    assert leaf_name(dn) == value
    assert parent_dn(dn) == "OU=Quay,DC=lowmere"


@pytest.mark.parametrize(
    ("one", "other"),
    [
        ("CN=A,OU=B,DC=c", "cn=a, ou=b , dc=C"),
        (r"CN=Varn\, Isolde,DC=c", r"CN=Varn\2C Isolde,DC=c"),
        ("CN = A,DC=c", "CN=A,DC=c"),
        (r"CN=a\=b,DC=c", "CN=a=b,DC=c"),
        (r"CN=a\3Db\, c,DC=c", r"CN=a=b\2C c,DC=c"),
    ],
)
def test_spellings_of_one_name_fold_together(one: str, other: str) -> None:
    """Case, spaces around separators and the choice of escape do not make another name."""
    assert fold_dn(one) == fold_dn(other)
