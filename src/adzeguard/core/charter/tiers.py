"""Which accounts and which hosts are of which tier, by all rules about tiers."""

from collections.abc import Sequence

from adzeguard.core.charter.account_scopes import accounts_of
from adzeguard.core.charter.host_scope import ResolvedScope
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.charter.tier_rule import ResolvedTier
from adzeguard.core.estate.estate import Estate
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class TierOfHosts:
    """The hosts of a tier, as one of the things that scopes find."""

    id: str
    scope: ResolvedScope
    tier: int


def tiers_of_hosts(tiers: Sequence[ResolvedTier]) -> HostScopes[TierOfHosts]:
    """Return what finds the tiers of a host, the closest first."""
    return HostScopes([TierOfHosts(rule.id, rule.of_hosts, rule.tier) for rule in tiers if rule.of_hosts])


def tiers_of_accounts(estate: Estate, tiers: Sequence[ResolvedTier]) -> dict[int, ResolvedTier]:
    """Return by the ids of accounts the most powerful tier that names each."""
    found: dict[int, ResolvedTier] = {}
    for rule in sorted(tiers, key=lambda rule: rule.tier):
        for account in accounts_of(estate, rule.accounts) if rule.accounts else ():
            found.setdefault(account, rule)
    return found
