"""The rights over the objects of the example: what every domain begins with, and what somebody has delegated."""

import uuid
from collections.abc import Iterable, Mapping

from adzeguard.core.descriptors.ace import Ace, AceFlag, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor, canonical_rank
from adzeguard.core.descriptors.inheritance import inherited_entries
from adzeguard.core.identity import Sid, fold_dn, parent_dn
from adzeguard.core.rights.schema import Schema
from adzeguard.demo.scenario import Delegation
from adzeguard.directory.schema import class_guid, first_entries, standard_schema

Values = list[tuple[str, bytes]]


def delegated_entries(delegations: Iterable[Delegation], sid_of: Mapping[str, Sid]) -> dict[str, list[Ace]]:
    """Return the entries of each delegation by the folded name of the object they stand on."""
    entries_by_dn: dict[str, list[Ace]] = {}
    schema = standard_schema()
    for delegation in delegations:
        about = _guids(schema)[delegation.about] if delegation.about else None
        below = schema.classes[delegation.below] if delegation.below else None
        flags = AceFlag.CONTAINER_INHERIT | (AceFlag.INHERIT_ONLY if below else 0) if delegation.inherited else 0
        kinds = (AceKind.ALLOW_OBJECT, AceKind.DENY_OBJECT) if about or below else (AceKind.ALLOW, AceKind.DENY)
        entry = Ace(
            kinds[delegation.deny], int(flags), int(Right[delegation.right]), sid_of[delegation.to], about, below
        )
        entries_by_dn.setdefault(fold_dn(delegation.over), []).append(entry)
    return entries_by_dn


def _guids(schema: Schema) -> dict[str, uuid.UUID]:
    return {**schema.control_rights, **schema.classes, **{name: own for name, (own, _) in schema.attributes.items()}}


def with_descriptors(
    entries: Iterable[tuple[str, Values]], domain: Sid, delegated: Mapping[str, list[Ace]]
) -> list[tuple[str, Values]]:
    """Return the entries, containers before what they hold, each with its security descriptor."""
    by_place: dict[str, Descriptor] = {}
    entries_by_dn = []
    administrators = Sid(f"{domain}-512")
    for dn, values in entries:
        classes = [value.decode() for name, value in values if name == "objectClass"]
        own = [*first_entries(classes, domain), *delegated.get(fold_dn(dn), ())]
        own.sort(key=canonical_rank)
        above = by_place.get(fold_dn(parent_dn(dn)))
        from_above = inherited_entries(above.entries if above else (), class_guid(classes), administrators)
        descriptor = Descriptor(administrators, administrators, None).with_entries([*own, *from_above])
        by_place[fold_dn(dn)] = descriptor
        is_partition = "crossRef" in classes
        entries_by_dn.append(
            (dn, values if is_partition else [*values, ("nTSecurityDescriptor", descriptor.to_bytes())])
        )
    return entries_by_dn
