"""For which names a certificate is."""

import pytest

from adzeguard.directory.certificate_name import is_for

NAMED = {"subject": ((("commonName", "dc1.lowmere.example"),),), "subjectAltName": (("DNS", "ldap.lowmere.example"),)}
BARE = {"subject": ((("organizationName", "x"),), (("commonName", "dc1.lowmere.example"),))}
WILD = {
    "subjectAltName": (("DNS", "*.lowmere.example"), ("DNS", "*.example"), ("DNS", "*"), ("IP Address", "10.0.0.7"))
}


@pytest.mark.parametrize(
    ("certificate", "name", "fits"),
    [
        (NAMED, "ldap.lowmere.example", True),
        (NAMED, "LDAP.Lowmere.Example.", True),
        (NAMED, "dc1.lowmere.example", False),
        (BARE, "dc1.lowmere.example", True),
        (BARE, "lowmere.example", False),
        (BARE, "127.0.0.1", False),
        (WILD, "dc9.lowmere.example", True),
        (WILD, "a.dc9.lowmere.example", False),
        (WILD, "other.example", False),
        (WILD, "other", False),
        (WILD, "10.0.0.7", True),
        (WILD, "10.0.0.8", False),
        ({}, "dc1.lowmere.example", False),
    ],
)
def test_a_certificate_is_for_the_names_it_bears_and_no_others(certificate: dict, name: str, fits: bool) -> None:
    """Alternative names go before the common name; a star is one label and never the whole name."""
    assert is_for(certificate, name) == fits
