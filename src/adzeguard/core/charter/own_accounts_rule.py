"""Rules about which accounts of hosts themselves may be enabled."""

from collections.abc import Iterator
from typing import Any

from pydantic import Field, model_validator

from adzeguard.core.charter.host_scope import HostRule, resolve_scope
from adzeguard.core.charter.references import LocalName, RuleNames
from adzeguard.core.charter.rule import PrincipalName, Response, Strict, one_or_many
from adzeguard.core.charter.setting_rule import ResolvedSetting
from adzeguard.core.values import dataclass


class OwnAccounts(Strict):
    """Which accounts of a host must be disabled, or which alone may be enabled."""

    disabled: tuple[PrincipalName, ...] = Field((), description=r"These must be disabled: local\guest.")
    enabled_only: tuple[PrincipalName, ...] | None = Field(None, description="No other may be enabled.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "disabled", "enabled-only")

    @model_validator(mode="after")
    def _says_something(self) -> "OwnAccounts":
        if not self.disabled and self.enabled_only is None:
            raise ValueError("says nothing: give disabled or enabled-only")
        both = {name.casefold() for name in self.disabled} & {name.casefold() for name in self.enabled_only or ()}
        if both:
            raise ValueError(f"both lets and disables {min(both)}")
        return self


class OwnAccountsRule(HostRule):
    """A rule about accounts of hosts themselves."""

    local_accounts: OwnAccounts


@dataclass(frozen=True)
class ResolvedOwnAccounts(ResolvedSetting):
    """A rule about accounts of hosts themselves, with its hosts found. What a host has not, cannot be enabled there."""

    rule: OwnAccountsRule
    disabled: tuple[LocalName, ...]
    enabled_only: tuple[LocalName, ...] | None


def resolve_own_accounts(rule: OwnAccountsRule, names: RuleNames, response: Response) -> Iterator[ResolvedOwnAccounts]:
    """Yield the rule with its hosts found, or nothing if a name is none of a host's own."""
    form = rule.local_accounts
    disabled = _local(names, "disabled", form.disabled)
    enabled_only = None if form.enabled_only is None else _local(names, "enabled-only", form.enabled_only)
    scope = resolve_scope(names, rule.hosts)
    if not names.failed:
        yield ResolvedOwnAccounts(rule, response, scope, disabled, enabled_only)


def _local(names: RuleNames, key: str, listed: tuple[str, ...]) -> tuple[LocalName, ...]:
    found = []
    for place, reference in enumerate(names.with_sids(("local-accounts", key), listed)):
        if isinstance(reference, LocalName):
            found.append(reference)
        else:
            said = (
                f"'{listed[place]}' is of the directory, and here are accounts of a host itself, such as local\\guest"
            )
            names.fail(("local-accounts", key, place), listed[place], said)
    return tuple(found)
