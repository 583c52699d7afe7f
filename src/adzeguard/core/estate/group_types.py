"""What kinds of group there are: scope, and whether a group gives access ([MS-ADTS] 2.2.12)."""

from typing import Final

from adzeguard.core.wellknown import SECURITY_ENABLED

SCOPES: Final = {"global": 0x2, "domain-local": 0x4, "universal": 0x8}
"""The scopes as they are typed, and their bits of groupType."""


def group_type(scope: str, *, security: bool) -> str:
    """Return groupType as a directory holds it: a signed 32-bit number."""
    kind = SCOPES[scope] | (SECURITY_ENABLED if security else 0)
    return str(kind - (1 << 32) if kind & SECURITY_ENABLED else kind)


def type_in_words(number: int) -> str:
    """Return "domain local security group" and the like; a number that is no kind of group is told as it is."""
    scope = next((word for word, bit in SCOPES.items() if number & 0xE == bit), "")
    if not scope:
        return f"group of the kind {number}"
    return f"{scope.replace('-', ' ')} {'security' if number & SECURITY_ENABLED else 'distribution'} group"


def is_group_type(value: bytes) -> bool:
    """Tell whether a value of groupType is a kind of group that somebody can be given."""
    return value.decode("ascii", "replace") in {
        group_type(s, security=given) for s in SCOPES for given in (True, False)
    }
