"""Whether a certificate is for a name (RFC 9525): its alternative names, or the common name of one that has none."""

from collections.abc import Iterator, Mapping
from ipaddress import ip_address
from typing import Any


def is_for(certificate: Mapping[str, Any], wanted: str) -> bool:
    """Tell whether a certificate, as the ssl module shows it, is for the name of a host or for an address."""
    wanted = wanted.casefold().rstrip(".")
    return any(
        _matches(name.casefold().rstrip("."), wanted) for name in _names(certificate, address=_is_address(wanted))
    )


def names_of(certificate: Mapping[str, Any]) -> list[str]:
    """Return every name and address that a certificate is for."""
    return list(dict.fromkeys([*_names(certificate, address=False), *_names(certificate, address=True)]))


def _names(certificate: Mapping[str, Any], *, address: bool) -> Iterator[str]:
    kind = "IP Address" if address else "DNS"
    alternative = [(of, name) for of, name in certificate.get("subjectAltName", ()) if of in ("DNS", "IP Address")]
    yield from (name for of, name in alternative if of == kind)
    if not alternative and not address:
        # Directory servers that make their certificate themselves give it nothing but a common name.
        yield from (value for part in certificate.get("subject", ()) for key, value in part if key == "commonName")


def _matches(name: str, wanted: str) -> bool:
    """A star stands for one whole first label, and there must be two more."""
    if name == wanted:
        return True
    first, _, rest = name.partition(".")
    return first == "*" and "." in rest and wanted.partition(".")[2] == rest


def _is_address(text: str) -> bool:
    try:
        ip_address(text)
    except ValueError:
        return False
    return True
