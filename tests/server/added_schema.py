"""What the schema of the test domain has beside its own: attributes that younger directories are extended with."""

from typing import NamedTuple


class Added(NamedTuple):
    """An attribute of a class, with the syntax of its values in both of the ways in which a schema tells it."""

    number: int
    syntax: str
    of_values: int
    guid: str
    of_class: str
    search_flags: int = 0
    link: int = 0


ADDED = {
    "msLAPS-Password": Added(1, "2.5.5.5", 19, "11f0c3a6-6f5e-4b61-9a5e-6d3c1b0e7a01", "computer", 904),
    "msLAPS-PasswordExpirationTime": Added(2, "2.5.5.16", 65, "11f0c3a6-6f5e-4b61-9a5e-6d3c1b0e7a02", "computer"),
    "msDS-KeyCredentialLink": Added(3, "2.5.5.7", 127, "5b47d60f-6090-40b2-9f37-2a4de88f3063", "user", link=2220),
}
