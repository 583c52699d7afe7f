"""Trusts: which other domains this one lets in, and what of their word it takes ([MS-ADTS] 6.1.6.7)."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

from adzeguard.core.errors import UnknownNameError
from adzeguard.core.estate.principal import Principal
from adzeguard.core.estate.rows import NEVER
from adzeguard.core.identity import domain_of_dn
from adzeguard.core.values import dataclass

_GOES_OUT: Final = 1  # TRUST_DIRECTION_INBOUND: seen from here, our people are let in there
_COMES_IN: Final = 2  # TRUST_DIRECTION_OUTBOUND: this domain trusts the other one
_REALM: Final = 3  # TRUST_TYPE_MIT, [MS-ADTS] 6.1.6.7.15
_OLD: Final = 1  # TRUST_TYPE_DOWNLEVEL
# TRUST_ATTRIBUTE_…, [MS-ADTS] 6.1.6.7.9
_NON_TRANSITIVE: Final = 0x1
_QUARANTINED: Final = 0x4
_FOREST: Final = 0x8
_SELECTIVE: Final = 0x10
_WITHIN_FOREST: Final = 0x20
_AS_EXTERNAL: Final = 0x40


@dataclass(frozen=True, slots=True)
class Trust:
    """One trust, as this domain has it."""

    principal: Principal
    partner: str
    """The DNS name of the other domain."""
    short_name: str
    sid: str
    """The SID of the other domain, empty for a realm that has none."""
    direction: int
    type: int
    attributes: int
    made: int
    """When it was made and last changed, in seconds since 1970; 0 where that is not known."""
    changed: int
    account: Principal | None = None
    """The account by which the other domain proves itself here."""

    @property
    def of(self) -> str:
        """The DNS name of the domain that has the trust."""
        return domain_of_dn(self.principal.dn)

    @property
    def lets_in(self) -> bool:
        """Whether people of the other domain can sign in here."""
        return bool(self.direction & _COMES_IN)

    @property
    def way(self) -> str:
        """Who can sign in where, in words."""
        if self.lets_in:
            return "both ways" if self.direction & _GOES_OUT else "theirs come in here"
        return "ours go there" if self.direction & _GOES_OUT else "closed"

    @property
    def kind(self) -> str:
        """What stands on the other side."""
        if self.attributes & _WITHIN_FOREST:
            return "same forest"
        if self.attributes & _FOREST:
            return "forest"
        return {_REALM: "realm", _OLD: "old domain"}.get(self.type, "external")

    @property
    def transitive(self) -> bool:
        """Whether those whom the other domain trusts are let in too."""
        return bool(self.attributes & (_WITHIN_FOREST | _FOREST)) and not self.attributes & _NON_TRANSITIVE

    @property
    def filtered(self) -> bool:
        """Whether SIDs of other domains than the other one's own are taken out of what it says ([MS-PAC] 4.1.2.2)."""
        if self.attributes & _QUARANTINED:
            return True
        return bool(self.attributes & _FOREST) and not self.attributes & _AS_EXTERNAL

    @property
    def needs_filter(self) -> bool:
        """Whether somebody there could come in as one of ours: within one forest the domains are one anyway."""
        return self.lets_in and not self.filtered and self.kind != "same forest"

    @property
    def selective(self) -> bool:
        """Whether only those come in who are let on each host; otherwise all are authenticated users here."""
        return bool(self.attributes & _SELECTIVE)


def trusts_of(domains: Iterable[Principal], accounts: Iterable[Principal]) -> list[Trust]:
    """Return the trusts by what the directory keeps of each, with their accounts, sorted by name.

    Several domains may each have one with the same other one.
    """
    by_name = {(domain_of_dn(account.dn).casefold(), account.name.casefold()): account for account in accounts}
    found = [_trust(domain, domain.details.get("trust") or {}, by_name) for domain in domains]
    return sorted(found, key=lambda trust: trust.partner.casefold())


def _trust(domain: Principal, told: Mapping[str, Any], accounts: Mapping[tuple[str, str], Principal]) -> Trust:
    partner = str(told.get("partner") or domain.name)
    short_name = str(told.get("short_name") or partner)
    return Trust(
        domain,
        partner,
        short_name,
        str(told.get("sid", "")),
        int(told.get("direction", 0)),
        int(told.get("type", 0)),
        int(told.get("attributes", 0)),
        int(domain.details.get("created", NEVER)),
        int(told.get("changed", NEVER)),
        accounts.get((domain_of_dn(domain.dn).casefold(), short_name.casefold())),
    )


def trust_named(trusts: Sequence[Trust], typed: str) -> Trust:
    """Return the trust with a domain, by either of its names; `UnknownNameError` for any other."""
    for trust in trusts:
        if typed.casefold() in (trust.partner.casefold(), trust.short_name.casefold()):
            return trust
    known = ", ".join(trust.partner for trust in trusts)
    raise UnknownNameError(
        f"there is no trust with '{typed}'",
        f"There is one with: {known}" if known else "There are none. See: adzeguard trusts list",
    )
