"""What the names of attributes, classes and rights are in the entries of a descriptor: GUIDs."""

import uuid
from collections.abc import Mapping
from functools import cached_property

from adzeguard.core.errors import UsageError
from adzeguard.core.values import dataclass
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
    unwritable: frozenset[str] = frozenset()
    """The attributes that a server lets nobody write, whatever entry there is: its own, computed, or back links."""
    confidential: frozenset[str] | None = None
    """The attributes that nobody reads by the right to read alone; None where that is not known of any."""

    def with_those_of(self, server: "Schema") -> "Schema":
        """Return it as a server has it; what that does not know is kept, to give names to what stands in entries."""
        return Schema(
            {**self.attributes, **server.attributes},
            {**self.classes, **server.classes},
            {**self.property_sets, **server.property_sets},
            {**self.control_rights, **server.control_rights},
            {**self.validated_writes, **server.validated_writes},
            {**self.default_rights, **server.default_rights},
            (self.unwritable - server.attributes.keys()) | server.unwritable,
            self.confidential if server.confidential is None else server.confidential,
        )

    def is_confidential(self, attribute: str) -> bool:
        """Tell whether reading an attribute takes a control right as well ([MS-ADTS] 3.1.1.4.4)."""
        if self.confidential is None:
            return attribute in LOCAL_PASSWORDS
        return attribute in self.confidential

    def never_written(self, attribute: str) -> str:
        """Return why nobody writes an attribute by a right alone; empty where a right is enough."""
        if attribute in self.unwritable:
            return "the server writes it itself, and lets nobody else"
        return _MORE_THAN_A_RIGHT.get(attribute, "")

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


LOCAL_PASSWORDS: Mapping[str, str] = {
    "msLAPS-Password": "msLAPS-PasswordExpirationTime",
    "ms-Mcs-AdmPwd": "ms-Mcs-AdmPwdExpirationTime",
}
"""The attributes of a host in which a directory keeps the password of its administrator, each with the one that anybody
may read and that stands beside it. They are of a schema that was extended, and have there the GUIDs they were given."""
_MORE_THAN_A_RIGHT: Mapping[str, str] = {
    "sIDHistory": "it is written by an interface of its own, for administrators of both domains",
    "msDS-AllowedToDelegateTo": "it takes the privilege to enable delegation beside the right",
    "unicodePwd": "it is written by the rights to set or to change a password",
    "userPassword": "it is written by the rights to set or to change a password",
}
"""Attributes of which a server asks more than the right to write them ([MS-ADTS] 3.1.1.5.3.1; seen in Samba 4.17)."""
