"""About which accounts a rule is, as the charter writes it and with its names found."""

from collections.abc import Mapping
from typing import Any

from pydantic import Field, model_validator

from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import PrincipalName, RuleBase, Strict, one_or_many
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.values import dataclass


class AccountScope(Strict):
    """About which accounts a rule is. At least one of inside, under and named."""

    inside: tuple[PrincipalName, ...] = Field((), description="Everybody inside these groups, nested ones included.")
    under: tuple[str, ...] = Field((), description="The users below these OUs; the base DN may be left off.")
    named: tuple[PrincipalName, ...] = Field((), description="These accounts; the closest scope there is.")
    except_: tuple[PrincipalName, ...] = Field(
        (), description="Not these accounts, even if another rule or key says so."
    )

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "inside", "under", "named", "except")

    @model_validator(mode="after")
    def _says_who(self) -> "AccountScope":
        if not (self.inside or self.under or self.named):
            raise ValueError("says no accounts: give inside, under or named")
        return self


class AccountScopeRule(RuleBase):
    """A rule about accounts; what it demands of them is its own key."""

    accounts: AccountScope


@dataclass(frozen=True, slots=True)
class ResolvedAccounts:
    """An account scope with its groups, OUs and accounts found; DNs are folded."""

    inside: tuple[Principal, ...]
    under: Mapping[str, str]
    """The OUs, folded, and as the rule writes them."""
    named: frozenset[int]
    excepted: frozenset[int]


def resolve_accounts(names: RuleNames, scope: AccountScope) -> ResolvedAccounts:
    """Find the groups, OUs and accounts of a scope; what cannot be found is noted, and stops the rule."""
    under = {ou: dn for i, dn in enumerate(scope.under) if (ou := names.container(("accounts", "under", i), dn))}
    return ResolvedAccounts(
        tuple(names.of_kind(("accounts", "inside"), scope.inside, Kind.GROUP)),
        under,
        frozenset(one.id for one in names.of_kind(("accounts", "named"), scope.named, Kind.USER)),
        frozenset(one.id for one in names.of_kind(("accounts", "except"), scope.except_, Kind.USER)),
    )
