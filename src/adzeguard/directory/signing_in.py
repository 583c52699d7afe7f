"""By what else than its password somebody comes in as an account: its services, whom it acts for, its certificates."""

from collections.abc import Sequence
from typing import Any, Final

from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.principal import Kind
from adzeguard.directory.port import SIGNING_ATTRIBUTES, Entry

_NAMES: Final = frozenset(name.casefold() for name in SIGNING_ATTRIBUTES)
_MOST: Final = 50
"""Values that are kept of one attribute: of an account with thousands of services a few tell enough."""


def signing_in(entry: Entry, kind: Kind) -> dict[str, Any]:
    """Return what is there of it. Of a host its own services are not: each has some."""
    if _NAMES.isdisjoint(entry.attributes):
        return {}
    found: dict[str, Any] = {
        "acts_towards": _texts(entry, "msds-allowedtodelegateto"),
        "acted_for_by": _holders(entry, "msds-allowedtoactonbehalfofotheridentity"),
        "password_readers": _holders(entry, "msds-groupmsamembership"),
        "certificates": _texts(entry, "altsecurityidentities"),
        "keys": len(entry.attributes.get("msds-keycredentiallink", ())),
    }
    if kind == Kind.USER:
        found["services"] = _texts(entry, "serviceprincipalname")
        found["encryption"] = entry.number("msds-supportedencryptiontypes")
    if kind == Kind.DOMAIN:
        found["computer_quota"] = entry.number("ms-ds-machineaccountquota")
    return {key: value for key, value in found.items() if value}


def _texts(entry: Entry, attribute: str) -> list[str]:
    values: Sequence[bytes] = entry.attributes.get(attribute, ())
    return sorted(value.decode("utf-8", "backslashreplace") for value in values[:_MOST])


def _holders(entry: Entry, attribute: str) -> list[str]:
    """Return whom the entries of a descriptor let, which is kept as a value of its own."""
    raw = bytes(entry.first(attribute) or b"")
    if not raw or not is_readable(raw):
        return []
    entries = Descriptor.from_bytes(raw).entries
    return sorted({str(one.sid) for one in entries if one.sid is not None and not one.denies})
