"""What the directory itself needs is never deleted or moved, and no keeper is deleted."""

from collections.abc import Iterator

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.create_object import DeleteObject
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.estate.named import id_of
from adzeguard.core.estate.principal import Flag, Kind


def critical_objects(case: Case) -> Iterator[str]:
    """Yield a reason for each object to be deleted or moved that the directory itself needs, or that is a keeper."""
    estate, kept = case.estate, {keeper.id for keeper in case.charter.keepers}
    for change in case.changes:
        if not isinstance(change, ObjectChange) or not change.uproots:
            continue
        known = id_of(estate, change.object)
        if known is None:
            continue
        principal = estate.principal(known)
        if principal.flags & (Flag.CRITICAL | Flag.BUILTIN) or principal.kind == Kind.DOMAIN:
            name = principal.qualified_name
            yield f"{change.id}: {name} belongs to the directory itself and is never {change.uproots}"
        elif known in kept and isinstance(change, DeleteObject):
            yield f"{change.id}: {principal.qualified_name} is a keeper. Name another in adzeguard.toml first"
