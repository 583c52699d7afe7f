"""Names as people type them."""

import pytest

from adzeguard.core.errors import AmbiguousNameError, UnknownNameError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import resolve, resolve_host
from tests.estates import BASE, directory, estate


@pytest.fixture(scope="module")
def small() -> Estate:
    """A few people and groups, a computer called like a person, and hosts."""
    people = ["Administrator", "ada", "ada.lund", "KIOSK-1x"]
    whole = directory(
        people, {"Domain Admins": ["Administrator"], "Quay Crew": ["ada"]}, computers={"KIOSK-1": "OU=Hosts"}
    )
    return estate(whole, {"KIOSK-1": ["Domain Admins"]})


@pytest.mark.parametrize(
    "typed",
    [
        "ada",
        "ADA",
        r"LOWMERE\ada",
        r"lowmere\Ada",
        r"lowmere.example\ada",
        "ada@lowmere.example",
        "ada@LOWMERE",
        "CN=ada,OU=People",
        f"cn=Ada, ou=People,{BASE}",
        "S-1-5-21-10-20-30-1201",
    ],
)
def test_one_object_is_found_however_it_is_typed(small: Estate, typed: str) -> None:
    """Bare, qualified, by DN with or without the base, by SID: the same object."""
    assert resolve(small, typed).name == "ada"


@pytest.mark.parametrize(
    ("typed", "error", "said"),
    [
        ("ad", AmbiguousNameError, r"LOWMERE\ada.lund (user in OU=People"),
        ("quay", AmbiguousNameError, r"LOWMERE\Quay Crew (group"),
        ("Quay Crwe", AmbiguousNameError, r"LOWMERE\Quay Crew (group"),
        (r"OTHER\ada", AmbiguousNameError, r"LOWMERE\ada (user"),
        (r"OTHER\qqqqq", UnknownNameError, "there is no domain 'OTHER' here"),
        ("CN=nobody,OU=People", UnknownNameError, "is called 'CN=nobody,OU=People'"),
        (r"well-known\nobody", UnknownNameError, "nothing in the directory is called"),
    ],
)
def test_nothing_is_guessed(small: Estate, typed: str, error: type[Exception], said: str) -> None:
    """A part of a name, a slip, another domain: candidates or a no, never a choice."""
    with pytest.raises(error) as raised:
        resolve(small, typed)

    assert said in str(raised.value)


def test_principals_that_stand_in_no_directory_have_their_names(small: Estate) -> None:
    """Well-known principals and SIDs of nobody are told apart from the directory's objects."""
    everyone = resolve(small, r"well-known\everyone")

    assert (everyone.qualified_name, everyone.kind.label) == (r"well-known\everyone", "well known")
    assert resolve(small, "S-1-5-21-9-9-9-1234").kind.label == "unresolved"


def test_hosts_are_found_with_and_without_their_domain(small: Estate) -> None:
    """A host by its name, its account name, or its DNS name; a slip lists what is near."""
    for typed in ("KIOSK-1", "kiosk-1", "KIOSK-1$", r"LOWMERE\kiosk-1$", "kiosk-1.lowmere.example"):
        assert resolve_host(small, typed).name == "KIOSK-1"
    with pytest.raises(UnknownNameError, match="Near are: KIOSK-1"):
        resolve_host(small, "KIOSK-11")
