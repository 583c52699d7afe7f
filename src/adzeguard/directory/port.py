"""What the tool asks of a directory. A driver streams entries, re-reads one, and makes one change."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Final, Literal, Protocol, runtime_checkable

from adzeguard.core.estate.attributes import SHOWN_ATTRIBUTES
from adzeguard.core.estate.catalogue import Domain, DomainRead
from adzeguard.core.identity import Sid
from adzeguard.core.rights.schema import LOCAL_PASSWORDS
from adzeguard.core.values import dataclass

Operation = Literal["add", "delete", "replace"]


@dataclass(frozen=True, slots=True)
class Modification:
    """One change of one attribute, as in a modify request (RFC 4511 section 4.6)."""

    operation: Operation
    attribute: str
    values: tuple[bytes, ...]


_LONGEST_NUMBER = 20
"""Characters of the longest number of 64 bits."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry of the directory; attribute names are lower-case."""

    dn: str
    attributes: Mapping[str, Sequence[bytes]]

    def first(self, attribute: str) -> bytes | None:
        """Return the first value, or nothing."""
        values = self.attributes.get(attribute)
        return values[0] if values else None

    @property
    def classes(self) -> frozenset[bytes]:
        """The classes, in small letters."""
        return frozenset(value.lower() for value in self.attributes.get("objectclass", ()))

    @property
    def deleted(self) -> bool:
        """Whether it is what a server keeps of a deleted object for a while."""
        return self.text("isdeleted").upper() == "TRUE"

    def text(self, attribute: str) -> str:
        """Return the first value as text, empty without one. What is not UTF-8 survives as surrogates."""
        return (self.first(attribute) or b"").decode("utf-8", "surrogateescape")

    def number(self, attribute: str) -> int:
        """Return the first value as a number, 0 without one or where it is none of 64 bits ([MS-ADTS] 3.1.1.2.2.2)."""
        value = self.first(attribute) or b""
        if len(value) > _LONGEST_NUMBER:
            return 0
        try:
            number = int(value)
        except ValueError:
            return 0
        return number if -(1 << 63) <= number < 1 << 63 else 0


Attributes = Mapping[str, Sequence[bytes]]
"""Attributes with their values; names as the directory spells them."""


@dataclass(frozen=True, slots=True)
class DirectoryFacts:
    """What a driver knows of the directory behind it. USNs count per server, which `invocation_id` names."""

    domain: Domain
    invocation_id: str = ""
    highest_usn: int = 0
    read: tuple[DomainRead, ...] = ()
    """Of several domains those that are read now."""
    unread: tuple[tuple[str, str], ...] = ()
    """The names of the others, and why each is not read: empty where it was not asked for."""


@dataclass(frozen=True, slots=True)
class Changes:
    """What changed in several domains, and the names of those that were read whole, since they cannot tell."""

    entries: Iterator[Entry]
    whole: tuple[str, ...]


class DirectoryDriver(Protocol):
    """One directory. Every method raises errors under `DirectoryError` or `InputError`, and no other."""

    @property
    def label(self) -> str:
        """What people call it: the file or the address."""

    def facts(self) -> DirectoryFacts:
        """Return the domain and where its changes stand."""

    def entries(self) -> Iterator[Entry]:
        """Stream every entry that the tool looks after, each once."""

    def entries_below(self, dn: str) -> Iterator[Entry]:
        """Stream an entry and every entry below it."""

    def changed_since(self, usn: int) -> Iterator[Entry] | None:
        """Stream the entries that changed after a USN of this server; None if the driver cannot tell.

        What was deleted comes as what is left of it, with `isDeleted`.
        """

    def read(self, dn: str) -> Entry | None:
        """Read one entry again, or nothing when it is not there."""

    def read_by_sid(self, sid: Sid) -> Entry | None:
        """Read one entry by its SID, wherever it lies by now; nothing when it is not there."""

    def read_whole(self, dn: str) -> Entry | None:
        """Read one entry with everything that stands in it, so that it can be made again."""

    def add(self, dn: str, attributes: Attributes) -> None:
        """Make an entry; the directory gives it its identity. `ChangeRefusedError` carries its reason for a no."""

    def restore(self, sid: Sid, dn: str) -> bool:
        """Bring a deleted entry back under its old SID, without most of what stood in it; no where none is kept."""

    def rename(self, dn: str, new_dn: str) -> None:
        """Give an entry, with all below it, another name or another container."""

    def delete(self, dn: str) -> None:
        """Remove an entry that has none below it."""

    def modify(self, dn: str, modifications: Sequence[Modification]) -> None:
        """Make one change, whole or not at all; `ChangeRefusedError` carries the directory's own reason."""

    def close(self) -> None:
        """Let go of the connection or the file."""


@runtime_checkable
class WatchableDirectory(Protocol):
    """A directory that tells when something in it changes."""

    def wait_for_change(self, seconds: float) -> bool:
        """Wait at most so long, and tell whether anything has changed; `DirectoryError` where it cannot tell."""


@runtime_checkable
class TellsChangesApart(Protocol):
    """A directory of several domains, each of which can or cannot tell what changed in it."""

    def changes(self, since: int | None, *, full: bool) -> Changes | None:
        """Return what changed in each, `since` being how far the first one is known; None for everything."""


@runtime_checkable
class FindsMany(Protocol):
    """A directory that finds many entries by their SIDs sooner than one by one."""

    def names_of(self, sids: Sequence[Sid]) -> Mapping[Sid, str]:
        """Return the DNs of those of them that are there."""


@runtime_checkable
class TellsSchema(Protocol):
    """A directory that tells its own schema."""

    def schema_since(self, stamp: str) -> tuple[str, str] | None:
        """Return the schema as JSON with its stamp; None where it is the one that a stamp was given for."""


@runtime_checkable
class TellsBackLinks(Protocol):
    """A directory that keeps of each object which groups list it, beside what groups list."""

    def said_to_be_inside(self, dn: str) -> Sequence[Entry]:
        """Return the objects that say of themselves that a group lists them."""


@dataclass(frozen=True, slots=True)
class Inside:
    """A group, and who is in it: listed, or by their primary group."""

    group: Entry
    members: Sequence[Entry]
    all_told: bool
    """Whether each that it lists was found; those of a third domain are not."""


@runtime_checkable
class TellsMembers(Protocol):
    """A directory that says who is in one of its groups, so that another one knows it."""

    def inside(self, sid: Sid) -> Inside | None:
        """Return a group with its members, or somebody who is none; None for a SID that is nobody's."""


LEFT_OF_DELETED: Final = (
    "objectClass",
    "objectGUID",
    "objectSid",
    "sAMAccountName",
    "userAccountControl",
    "groupType",
    "lastKnownParent",
    "whenChanged",
    "isDeleted",
)
"""What a directory keeps of a deleted object at the least, and is read of it."""


@runtime_checkable
class TellsDeleted(Protocol):
    """A directory that keeps for a time what is left of deleted objects."""

    def was_deleted(self, sid: Sid) -> bool:
        """Tell whether what is left of an object of this SID is there to be seen."""

    def deleted(self) -> Iterator[Entry]:
        """Stream what is left of deleted objects: `LEFT_OF_DELETED`, as far as they may be seen."""


@dataclass(frozen=True, slots=True)
class LinkEnds:
    """Whether a directory can end links by itself, and whether it does."""

    known: bool
    on: bool
    level: int = 0
    """The functional level of the forest ([MS-ADTS] 6.1.4.4)."""
    needed_level: int = 0
    """The level that it takes to switch it on."""


@runtime_checkable
class EndsLinks(Protocol):
    """A directory that may be able to end links by itself."""

    def link_ends(self) -> LinkEnds:
        """Tell whether it can, and does."""

    def switch_on_link_ends(self) -> None:
        """Switch it on, for good; `ChangeRefusedError` carries the directory's own reason."""

    def link_until(self, dn: str, attribute: str, to: str, ends: datetime | None, *, anew: bool) -> None:
        """Make a link with an end, or without one; `anew` where it stands already, in one change.

        `ChangeRefusedError` for an end that is over, or by the directory.
        """

    def link_end(self, dn: str, attribute: str, to: str) -> datetime | None:
        """Return when a link ends, to the second; None if it has no end, or is not there."""


@dataclass(frozen=True, slots=True)
class LinkTime:
    """What is kept of the last change of a link: whom it names, when it was, and whether it was taken out."""

    to: str
    changed: datetime
    deleted: bool


@runtime_checkable
class TellsLinkTimes(Protocol):
    """A directory that may keep when each link was last changed."""

    def link_times(self, dn: str, attribute: str) -> Sequence[LinkTime]:
        """Return what is kept of the links of an entry, also of those that were taken out lately; often nothing."""


PASSWORD_ATTRIBUTES = (
    ("minPwdLength", "msDS-MinimumPasswordLength"),
    ("pwdHistoryLength", "msDS-PasswordHistoryLength"),
    ("maxPwdAge", "msDS-MaximumPasswordAge"),
    ("lockoutThreshold", "msDS-LockoutThreshold"),
    ("lockoutDuration", "msDS-LockoutDuration"),
    ("pwdProperties", "msDS-PasswordComplexityEnabled"),
    ("", "msDS-PasswordReversibleEncryptionEnabled"),
    ("", "msDS-PasswordSettingsPrecedence"),
    ("", "msDS-PSOAppliesTo"),
    ("oEMInformation", ""),
)
"""What a password policy is made of: of the domain, and of a settings object ([MS-ADA1] to [MS-ADA3])."""

SIGNING_ATTRIBUTES = (
    "servicePrincipalName",
    "msDS-AllowedToDelegateTo",
    "msDS-AllowedToActOnBehalfOfOtherIdentity",
    "msDS-SupportedEncryptionTypes",
    "msDS-GroupMSAMembership",
    "altSecurityIdentities",
    "msDS-KeyCredentialLink",
    "ms-DS-MachineAccountQuota",
)
"""By what else than its password somebody may come in as an account ([MS-SFU], [MS-KILE] 2.2.7, [MS-ADA1..3])."""

TRUST_ATTRIBUTES = (
    "trustPartner",
    "flatName",
    "securityIdentifier",
    "trustDirection",
    "trustType",
    "trustAttributes",
)
"""What a trust is made of ([MS-ADTS] 6.1.6.7)."""

ATTRIBUTES = (
    "objectClass",
    "objectGUID",
    "objectSid",
    "sAMAccountName",
    "name",
    "userAccountControl",
    "primaryGroupID",
    "member",
    "groupType",
    "adminCount",
    "pwdLastSet",
    "lastLogonTimestamp",
    "accountExpires",
    "whenCreated",
    "whenChanged",
    "isCriticalSystemObject",
    "wellKnownObjects",
    "nTSecurityDescriptor",
    *(attribute.name for attribute in SHOWN_ATTRIBUTES),
    "sIDHistory",
    *(name for names in PASSWORD_ATTRIBUTES for name in names if name),
    *TRUST_ATTRIBUTES,
    *SIGNING_ATTRIBUTES,
    *LOCAL_PASSWORDS.values(),
)
"""The attributes that are collected."""

CLASSES = (
    "user",
    "group",
    "organizationalUnit",
    "container",
    "builtinDomain",
    "groupPolicyContainer",
    "foreignSecurityPrincipal",
    "domainDNS",
    "contact",
    "trustedDomain",
    "msDS-PasswordSettings",
)
"""The classes that are collected, with those derived from them."""
