"""What a child takes over from its container's entries ([MS-DTYP] 2.5.3.4.2, [MS-ADTS] 6.1.3)."""

import uuid
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Final

from adzeguard.core.descriptors.ace import Ace, AceFlag, Right, without_generic
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.identity import Sid

_CREATOR_OWNER: Final = "S-1-3-0"
_GENERIC: Final = Right.GENERIC_ALL | Right.GENERIC_EXECUTE | Right.GENERIC_READ | Right.GENERIC_WRITE
_HANDED_ON: Final = AceFlag.CONTAINER_INHERIT | AceFlag.OBJECT_INHERIT


def inherited_entries(parent: Iterable[Ace], child_class: uuid.UUID | None, owner: Sid | None) -> list[Ace]:
    """Return the entries that a child of a class takes over from its container's entries, in their order.

    An entry for another class is handed on without meaning anything here; one that must not go further is taken over
    for this child alone. What is given to the creator is given to the child's owner, and handed on as it is.
    """
    found: list[Ace] = []
    for entry in parent:
        if not entry.flags & AceFlag.CONTAINER_INHERIT or not entry.decides:
            continue
        means_something = entry.inherited_type in (None, child_class)
        goes_on = not entry.flags & AceFlag.NO_PROPAGATE
        here = _for_this_child(entry, owner)
        on = entry.flags & _HANDED_ON if goes_on else 0
        if means_something and here == replace(entry, flags=here.flags):
            found.append(here.with_flags(AceFlag.INHERITED | on))
            continue
        if means_something:
            found.append(here.with_flags(AceFlag.INHERITED))
        if goes_on:
            found.append(entry.with_flags(AceFlag.INHERITED | AceFlag.INHERIT_ONLY | on))
    return found


def _for_this_child(entry: Ace, owner: Sid | None) -> Ace:
    here = replace(entry, sid=owner) if entry.sid == _CREATOR_OWNER and owner is not None else entry
    return replace(here, mask=without_generic(here.mask)) if here.mask & _GENERIC else here


def handed_on(
    before: Sequence[Ace], after: Sequence[Ace], child: Descriptor, child_class: uuid.UUID | None
) -> Descriptor:
    """Return a child's descriptor after its container's entries have changed.

    Only what the change adds or takes away is touched, so that a child that differs otherwise stays as it is.
    """
    if child.protected:
        return child
    was = inherited_entries(before, child_class, child.owner)
    now = inherited_entries(after, child_class, child.owner)
    if was == now:
        return child
    own = [entry for entry in child.entries if not entry.inherited]
    standing = [entry for entry in child.entries if entry.inherited]
    if standing == was:
        return child.with_entries([*own, *now])
    kept = list(standing)
    for entry in was:
        if entry not in now and entry in kept:
            kept.remove(entry)
    fresh = [entry for entry in now if entry not in was and entry not in kept]
    return child.with_entries([*own, *fresh, *kept])
