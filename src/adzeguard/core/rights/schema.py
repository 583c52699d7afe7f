"""What the names of attributes, classes and rights are in the entries of a descriptor: GUIDs."""

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

from adzeguard.core.errors import UsageError
from adzeguard.core.wording import nearest


@dataclass(frozen=True)
class Schema:
    """Names and GUIDs. An attribute comes with the property set that it belongs to, if any."""

    attributes: Mapping[str, tuple[uuid.UUID, uuid.UUID | None]]
    classes: Mapping[str, uuid.UUID]
    property_sets: Mapping[str, uuid.UUID]
    control_rights: Mapping[str, uuid.UUID]
    validated_writes: Mapping[str, uuid.UUID]
    default_rights: Mapping[str, str]
    """The entries that a new object of a class begins with, as text ([MS-DTYP] 2.5.1)."""

    @cached_property
    def names(self) -> Mapping[uuid.UUID, str]:
        """The name of each GUID. Some GUIDs are both a control right and a property set; the set goes first."""
        by_guid: dict[uuid.UUID, str] = {}
        for name, (guid, _) in self.attributes.items():
            by_guid.setdefault(guid, name)
        for kind in (self.classes, self.property_sets, self.control_rights, self.validated_writes):
            for name, guid in kind.items():
                by_guid.setdefault(guid, name)
        return by_guid

    def known(self, kind: str, name: str) -> str:
        """Return a name of a kind in its own spelling; `UsageError` says what comes near."""
        named = self.folded[kind].get(name.casefold())
        if named is None:
            near = nearest(name.casefold(), self.folded[kind])
            hint = f"Did you mean {self.folded[kind][near]}?" if near else ""
            raise UsageError(f"the schema knows no {kind} '{name}'", hint)
        return named

    @cached_property
    def folded(self) -> Mapping[str, Mapping[str, str]]:
        """For each kind of name, the right spelling by the folded one."""
        kinds = {
            "attribute": self.attributes,
            "class": self.classes,
            "property set": self.property_sets,
            "control right": self.control_rights,
            "validated write": self.validated_writes,
        }
        return {kind: {name.casefold(): name for name in listed} for kind, listed in kinds.items()}
