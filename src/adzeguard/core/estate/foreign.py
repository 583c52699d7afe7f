"""What this domain's directory says of somebody of another domain, whom it knows by a SID alone."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Final, Protocol

from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import OF_A_DOMAIN
from adzeguard.core.values import dataclass

KNOWN: Final = "known"
UNKNOWN_THERE: Final = "unknown there"
"""The other domain was asked, and has nobody of this SID."""
UNKNOWN_DOMAIN: Final = "of an unknown domain"
"""No domain that this one trusts gave out the SID."""

MEMBERS_READ: Final = "members_read"
"""In the details of a group of another domain: that its own directory was asked who is inside, and told all."""
ONLY_INSIDE: Final = "only_inside"
"""In the details of somebody who is here for being in a group of their own domain alone."""


@dataclass(frozen=True, slots=True)
class ForeignName:
    """The answer for one SID. `kind` is "user", "group", "domain local group" or "computer", or empty."""

    sid: str
    name: str
    """With its domain, as in `ISLE\\ivo`; empty where there is none."""
    kind: str
    state: str
    asked_at: int
    """In seconds since 1970."""


class NamesForeigners(Protocol):
    """Who can say what SIDs of other domains mean."""

    def foreign_names(self, sids: list[str], now: int) -> list[ForeignName]:
        """Ask about some SIDs; `AdzeguardError` where nothing can be asked."""

    def sid_called(self, name: str) -> str:
        r"""Ask who is called `ISLE\ivo`; empty for nobody. `AdzeguardError` where nothing can be asked."""


def with_foreign_name(principal: Principal, names: Mapping[str, ForeignName]) -> Principal:
    """Return somebody of another domain under the name that was answered last."""
    found = names.get(principal.sid or "")
    if found is None or principal.kind not in (Kind.FOREIGN, Kind.UNRESOLVED):
        return principal
    answered = {"foreign_kind": found.kind, "foreign_state": found.state, "named": found.asked_at}
    details = {**principal.details, **answered}
    name = found.name or principal.name
    return replace(principal, name=name.rpartition("\\")[2], qualified_name=name, details=details)


def may_hold_others(principal: Principal) -> bool:
    """Tell whether others may be inside somebody of another domain: who they are, is not known here."""
    if principal.kind != Kind.FOREIGN or not (principal.sid or "").startswith(OF_A_DOMAIN):
        return False
    if principal.details.get(MEMBERS_READ):
        return False
    # A domain local group counts in its own domain alone: nobody brings it along over a trust ([MS-PAC] 4.1.2.2).
    holds_nobody = principal.details.get("foreign_kind") in ("user", "computer", "domain local group")
    return not holds_nobody and principal.details.get("foreign_state") != UNKNOWN_THERE
