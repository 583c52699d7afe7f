"""Chains of membership in words and as evidence."""

from typing import Any

from adzeguard.core.access.members import Access

_HOW = {
    "member": "lists",
    "primary group": "is the primary group of",
    "local entry": "names",
    "everybody": "is everybody, among them",
}


def chain_in_words(access: Access) -> str:
    """Return "A lists B, B is the primary group of C"."""
    steps = zip(access.chain, access.chain[1:], strict=False)
    return ", ".join(
        f"{a.principal.qualified_name} {_HOW.get(b.how, f'by {b.how}')} {b.principal.qualified_name}" for a, b in steps
    )


def chain_as_data(access: Access) -> list[dict[str, Any]]:
    """Return the chain as plain values, from the group down to the member."""
    return [
        {
            "name": s.principal.qualified_name,
            "sid": s.principal.sid,
            "kind": s.principal.label,
            "how": s.how,
        }
        for s in access.chain
    ]
