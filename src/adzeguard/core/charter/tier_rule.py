"""Tiers: which accounts and which hosts belong together. A lower number is more powerful."""

from collections.abc import Iterator

from pydantic import Field, model_validator

from adzeguard.core.charter.account_scope import AccountScope, ResolvedAccounts, resolve_accounts
from adzeguard.core.charter.host_scope import HostScope, ResolvedScope, resolve_scope
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import Resolved, Response, RuleBase
from adzeguard.core.values import dataclass

_LOWEST = 9


class TierRule(RuleBase):
    """Accounts and hosts of one tier: those accounts have no business on hosts of a lower one."""

    tier: int = Field(ge=0, le=_LOWEST, description="0 is the most powerful one.")
    accounts: AccountScope | None = Field(None, description="The accounts of the tier.")
    hosts: HostScope | None = Field(None, description="The hosts of the tier.")

    @model_validator(mode="after")
    def _says_what(self) -> "TierRule":
        if self.accounts is None and self.hosts is None:
            raise ValueError("says neither accounts nor hosts")
        return self


@dataclass(frozen=True)
class ResolvedTier(Resolved):
    """A tier with its names found."""

    tier: int
    accounts: ResolvedAccounts | None
    of_hosts: ResolvedScope | None


def resolve_tier(rule: TierRule, names: RuleNames, response: Response) -> Iterator[ResolvedTier]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    accounts = resolve_accounts(names, rule.accounts) if rule.accounts else None
    hosts = resolve_scope(names, rule.hosts) if rule.hosts else None
    if not names.failed:
        yield ResolvedTier(rule, response, rule.tier, accounts, hosts)
