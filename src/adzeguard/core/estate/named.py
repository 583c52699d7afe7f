"""An object by its identity: what changes, findings and the journal hold on to instead of a display name."""

from dataclasses import replace
from typing import ClassVar

from adzeguard.core.digests import digest_begun
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Named:
    """For people by name, for the directory by DN, for comparing by SID.

    `made` says that an earlier change of the same proposal makes it, so that its SID is not known yet.
    """

    __pydantic_config__: ClassVar = {"extra": "forbid"}

    name: str
    sid: str = ""
    dn: str = ""
    made: bool = False

    @classmethod
    def of(cls, principal: Principal) -> "Named":
        """Name an object of the estate, or of a host."""
        return cls(principal.qualified_name, principal.sid or "", principal.dn)

    @property
    def key(self) -> str:
        """What it is told from others by: its SID, the folded DN of what has none, a name where there is neither."""
        return self.sid or fold_dn(self.dn) or self.name.casefold()

    @property
    def keys(self) -> tuple[str, ...]:
        """Everything that it may have been known by: an object that was just made is known by its DN alone."""
        return tuple(key for key in (self.sid, fold_dn(self.dn)) if key)

    def made_again(self) -> "Named":
        """Return it as something new: found by its DN, since it gets another SID."""
        return replace(self, sid="", made=True)


def fingerprint_of(check: str, rule: str, *named: Named | None) -> str:
    """Return what is the same for the same deviation on every day, and after any renaming: identities alone."""
    parts = (check, rule, *(one.key if one else "" for one in named))
    return digest_begun(8, "\0".join(parts).encode("utf-8", "surrogateescape")).hexdigest()


def is_listed(estate: Estate, group_sid: str, member_sid: str) -> bool:
    """Tell whether a group of the directory lists a member now; what is gone, or has no SID, is listed nowhere."""
    group, member = (estate.id_of_sid(sid) if sid.startswith("S-1-") else None for sid in (group_sid, member_sid))
    if group is None or member is None or estate.graph.position_of(group) is None:
        return False
    return member in estate.graph.direct_members(group).tolist()


def id_of(estate: Estate, named: Named) -> int | None:
    """Return the object that is meant: by its SID, or by its DN where it has none; None for what is not there."""
    return estate.id_of_sid(named.sid) if named.sid else estate.catalogue.by_dn(named.dn)
