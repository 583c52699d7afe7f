"""Where an inherited entry comes from."""

import uuid
from collections.abc import Set as AbstractSet

from adzeguard.core.descriptors.ace import Ace, AceFlag
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.estate import Estate
from adzeguard.core.identity import Sid, parent_dn, upwards

Given = tuple[Sid | None, uuid.UUID | None]
"""To whom an entry gives something, and what it is about."""


def given(entry: Ace) -> Given:
    """Return what an entry is recognised by on its way down."""
    return entry.sid, entry.object_type


def giving_container(estate: Estate, dn: str, wanted: AbstractSet[Given]) -> int | None:
    """Return the nearest container above an object, itself named `dn`, that hands one of these on as its own."""
    for above_dn in upwards(parent_dn(dn)):
        above = estate.catalogue.by_dn(above_dn)
        raw = estate.catalogue.descriptors([above]).get(above) if above is not None else None
        for entry in Descriptor.from_bytes(raw).entries if raw and is_readable(raw) else ():
            if not entry.inherited and entry.flags & AceFlag.CONTAINER_INHERIT and given(entry) in wanted:
                return above
    return None
