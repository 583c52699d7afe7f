"""What a principal may do to an object, and which entry decides, as the directory decides it ([MS-ADTS] 5.1.3.3).

Entries are looked at in their order; for each right the first entry about it decides. An entry about a class,
property set or attribute speaks for all that belongs to it. The owner may read and change the rights, unless an
entry says what owners may.
"""

import uuid
from collections.abc import Sequence
from typing import Final

from adzeguard.core.descriptors.ace import Ace, Right, without_generic
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

SELF: Final = "S-1-5-10"
OWNER_RIGHTS: Final = "S-1-3-4"
_OWNER_MAY: Final = int(Right.READ_CONTROL | Right.WRITE_DAC)
_RIGHTS: Final = tuple((int(right), right) for right in Right)


@dataclass(frozen=True, slots=True)
class Question:
    """One right over one object: a single bit, and what it is about, from the attribute up to the object's class."""

    right: Right
    about: tuple[uuid.UUID, ...] = ()


@dataclass(frozen=True, slots=True)
class Decision:
    """Whether a right is given, and why: by an entry, as the owner, or because nothing gives it."""

    allowed: bool
    entry: Ace | None = None
    as_owner: bool = False


def speaks_about(entry: Ace, question: Question) -> bool:
    """Tell whether an entry decides a question, for those whom it is about."""
    # As a plain number: this is asked of every entry, and the enumeration is ten times slower.
    if not without_generic(entry.mask) & int(question.right) or not entry.decides or entry.inherit_only:
        return False
    return entry.object_type is None or entry.object_type in question.about


def decide(descriptor: Descriptor, token: frozenset[str], own_sid: str, question: Question) -> Decision:
    """Decide for somebody with these SIDs; `own_sid` is the object's own, which entries for itself mean."""
    if _as_owner(descriptor, token) and question.right & _OWNER_MAY:
        return Decision(allowed=True, as_owner=True)
    for entry in descriptor.entries:
        if speaks_about(entry, question) and is_for(entry, token, own_sid, descriptor.owner):
            if entry.conditional and not entry.denies:
                continue  # a condition is not looked at here, so nothing is given under it
            return Decision(allowed=not entry.denies, entry=entry)
    return Decision(allowed=False)


def is_for(entry: Ace, token: frozenset[str], own_sid: str, owner: Sid | None) -> bool:
    """Tell whether an entry is about somebody with these SIDs."""
    if entry.sid == SELF:
        return bool(own_sid) and own_sid in token
    if entry.sid == OWNER_RIGHTS:
        return owner is not None and owner in token
    return entry.sid in token


def _as_owner(descriptor: Descriptor, token: frozenset[str]) -> bool:
    return descriptor.owner in token and not any(
        entry.sid == OWNER_RIGHTS and not entry.inherit_only for entry in descriptor.entries
    )


def owner_has_the_rights(descriptor: Descriptor) -> bool:
    """Tell whether the owner may change the rights because they own the object."""
    return not any(entry.sid == OWNER_RIGHTS and not entry.inherit_only for entry in descriptor.entries)


def bits_of(mask: int) -> Sequence[Right]:
    """Return the single rights of a mask."""
    plain = without_generic(mask)
    return [right for number, right in _RIGHTS if plain & number]
