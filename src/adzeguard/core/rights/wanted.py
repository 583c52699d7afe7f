"""The entries by which a duty stands over one object."""

from collections.abc import Sequence

from adzeguard.core.descriptors.ace import Ace, AceFlag, Right
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import CONTAINERS, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.duties import Duty, usual_flags
from adzeguard.core.rights.duty_words import Extent
from adzeguard.core.rights.questions import class_of

_CHILDREN = Right.CREATE_CHILD | Right.DELETE_CHILD


def wanted_entries(
    rights: Rights,
    who: Principal,
    duty: Duty,
    over: Principal,
    *,
    deny: bool,
    extent: Extent | None = None,
    only_for: Sequence[str] = (),
) -> list[Ace]:
    """Return the entries by which a duty stands over an object; `UsageError` where it means nothing there."""
    if who.sid is None:
        raise UsageError(f"{who.qualified_name} has no SID, so no right can be given to it")
    container = over.kind in CONTAINERS
    if not container:
        _refuse_over_leaf(duty, over, extent)
    flags = usual_flags(duty, extent, container=container)
    classes = [rights.schema.classes[rights.schema.known("class", name)] for name in only_for]
    if extent is None and classes and container:
        flags = int(AceFlag.CONTAINER_INHERIT | AceFlag.INHERIT_ONLY)
    own = rights.schema.classes.get(class_of(over))
    entries = duty.entries(Sid(who.sid), deny=deny, flags=flags, over=own, classes=classes)
    if not entries:
        about = " and ".join(only_for or duty.classes)
        raise UsageError(
            f"{duty.name} is about {about}, and {short_dn(rights.estate, over.dn)} is of class {class_of(over)}"
        )
    return entries


def _refuse_over_leaf(duty: Duty, over: Principal, extent: Extent | None) -> None:
    """Refuse what means nothing over an object that holds no others."""
    if extent in ("below", "this-and-below"):
        raise UsageError(f"{over.qualified_name} is {over.kind.one}: nothing lies below it", "Leave --below away")
    if any(part.mask & _CHILDREN and part.about for part in duty.parts):
        raise UsageError(f"{duty.name} is about what lies in an OU, and {over.qualified_name} is {over.kind.one}")
