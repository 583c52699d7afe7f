"""Protection against deletion: the entries that deny it to everyone, on the object and on its container.

An object's own entry alone does not stop an administrator, who may delete what lies in a container; so the container
denies that too ([MS-ADTS] 3.1.1.5.5.1).
"""

from typing import Final

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import WELL_KNOWN

_EVERYONE: Final[Sid] = WELL_KNOWN["everyone"]
ON_THE_OBJECT: Final = Ace(AceKind.DENY, 0, int(Right.DELETE | Right.DELETE_TREE), _EVERYONE)
ON_ITS_CONTAINER: Final = Ace(AceKind.DENY, 0, int(Right.DELETE_CHILD), _EVERYONE)


def denies_everyone(descriptor: Descriptor, rights: int) -> bool:
    """Tell whether everyone is denied all of these rights by an entry of the object itself."""
    return any(
        entry.kind == AceKind.DENY
        and entry.sid == _EVERYONE
        and not entry.inherit_only
        and entry.mask & rights == rights
        for entry in descriptor.entries
    )


def is_protected(descriptor: Descriptor | None, container: Descriptor | None) -> bool:
    """Tell whether both entries stand, so that nobody can delete or move the object."""
    return (
        descriptor is not None
        and container is not None
        and denies_everyone(descriptor, Right.DELETE)
        and denies_everyone(container, Right.DELETE_CHILD)
    )
