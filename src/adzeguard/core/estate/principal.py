"""What an object of the directory is, and how it is shown to people."""

from dataclasses import field
from enum import IntEnum, IntFlag
from typing import Any, Final

from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass


class Kind(IntEnum):
    """What an object is. The numbers are stored; never reuse one."""

    ABSENT = 0
    USER = 1
    GROUP = 2
    COMPUTER = 3
    OU = 4
    CONTAINER = 5
    POLICY = 6
    FOREIGN = 7
    DOMAIN = 8
    CONTACT = 9
    WELL_KNOWN = 10
    LOCAL_ACCOUNT = 11
    LOCAL_GROUP = 12
    UNRESOLVED = 13
    TRUST = 14
    """The account by which another domain and this one know each other: nobody signs in with it."""
    SERVICE = 15
    """An account whose password the directory manages itself, for services: neither a person nor a host."""
    TRUSTED_DOMAIN = 16
    """What the directory keeps of a trust with another domain, beside the trust's account."""
    PASSWORD_POLICY = 17
    """A settings object: a password policy for some people and groups ([MS-ADTS] 2.2, msDS-PasswordSettings)."""
    SITE = 18
    """A place of the network, to which policies can be linked as to an OU ([MS-ADTS] 6.1.1.2.2.1)."""

    @property
    def label(self) -> str:
        """The word for people."""
        return _LABELS.get(self, self.name.lower().replace("_", " "))

    @property
    def one(self) -> str:
        """The word with its article: a user, an OU."""
        return f"{'an' if self in _WITH_AN else 'a'} {self.label}"


_LABELS = {
    Kind.OU: "OU",
    Kind.FOREIGN: "foreign principal",
    Kind.POLICY: "directory policy",
    Kind.TRUST: "trust account",
    Kind.SERVICE: "service account",
    Kind.TRUSTED_DOMAIN: "trusted domain",
    Kind.PASSWORD_POLICY: "password policy",
}
ACCOUNTS: Final = frozenset({Kind.USER, Kind.COMPUTER, Kind.SERVICE})
"""What signs in with an account of the directory."""
_WITH_AN = frozenset({Kind.ABSENT, Kind.OU, Kind.UNRESOLVED})


class Flag(IntFlag):
    """Facts about an object that are yes or no. The numbers are stored; never reuse one."""

    ENABLED = 1
    CRITICAL = 2
    SECURITY_GROUP = 4
    DOMAIN_LOCAL = 8
    GLOBAL = 16
    UNIVERSAL = 32
    BUILTIN = 64
    ADMIN_COUNT = 128
    NOT_DELEGATED = 256
    SMART_CARD = 512
    PASSWORD_KEPT = 1024
    ANY_SERVICE = 2048
    ACTS_FOR_ANYBODY = 4096
    UNPROVEN = 8192
    PASSWORD_OPTIONAL = 16384
    PASSWORD_READABLE = 32768
    OLD_CIPHERS = 65536


NOT_COLLECTED = -1
"""The id of what stands in no directory that was collected, or not yet."""
CONTAINERS = frozenset({Kind.OU, Kind.CONTAINER, Kind.DOMAIN})
"""The kinds that hold other objects below them."""
LINKED_TO: Final = (Kind.DOMAIN, Kind.OU, Kind.SITE)
"""The kinds to which directory policies can be linked ([MS-GPOL] 2.2.2)."""
NO_FLAGS = Flag(0)


@dataclass(frozen=True, slots=True)
class Principal:
    """One object, made on demand for the few that are shown.

    `id` is its number in the estate, or -1 for what stands in no directory (a local account, a well-known
    principal, a SID that resolves to nothing).
    """

    id: int
    kind: Kind
    name: str
    qualified_name: str
    sid: Sid | None
    dn: str
    flags: Flag = NO_FLAGS
    primary_group_rid: int = 0
    details: dict[str, Any] = field(default_factory=dict, hash=False, compare=False)

    @property
    def enabled(self) -> bool:
        """Whether the account can be used; groups and other objects always count as enabled."""
        return not self.is_person or bool(self.flags & Flag.ENABLED)

    @property
    def is_person(self) -> bool:
        """Whether somebody or something logs on with it."""
        return self.kind in ACCOUNTS or self.kind == Kind.LOCAL_ACCOUNT

    @property
    def label(self) -> str:
        """The word for what it is; of somebody of another domain as far as that domain was asked."""
        if self.kind != Kind.FOREIGN:
            return self.kind.label
        state = str(self.details.get("foreign_state", "known"))
        what = f"foreign {self.details.get('foreign_kind') or 'principal'}"
        return what if state == "known" else f"{what}, {state}"

    @property
    def group_scope(self) -> str:
        """The scope in words, empty for other kinds."""
        for flag, label in _SCOPES:
            if self.flags & flag:
                return label
        return ""


_SCOPES = ((Flag.DOMAIN_LOCAL, "domain local"), (Flag.GLOBAL, "global"), (Flag.UNIVERSAL, "universal"))
