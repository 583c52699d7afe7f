"""Rules about how accounts sign in, which the directory itself enforces: where, when, and with what."""

from collections.abc import Iterator
from typing import Any, Final, Literal
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import Field, model_validator

from adzeguard.core.charter.account_scope import AccountScopeRule, ResolvedAccounts, resolve_accounts
from adzeguard.core.charter.host_scope import HostScope, ResolvedScope, resolve_scope
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import PrincipalName, Resolved, Response, Strict, frozen, one_or_many
from adzeguard.core.errors import InputError
from adzeguard.core.estate.logon_hours import Hours, read_times
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.values import dataclass

Standard = Literal[
    "not-delegated",
    "smart-card",
    "password-expires",
    "protected",
    "no-delegation",
    "pre-authentication",
    "password-needed",
    "password-hidden",
    "modern-encryption",
    "no-service-names",
]


class OnlyGroups(Strict):
    """The groups in which accounts may be, and in no other; their primary group is not looked at."""

    only: tuple[PrincipalName, ...] = Field(description="These groups; an empty list means none.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "only")


NEVER: Final = "none"


class LogonHours(Strict):
    """Times of a week, in a time zone."""

    times: tuple[str, ...] = Field(min_length=1, description="Whole hours, such as Mon-Fri 07:00-19:00; none: never.")
    zone: str = Field("UTC", description="The time zone of the times, such as Europe/London.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "times")

    @model_validator(mode="after")
    def _can_be_read(self) -> "LogonHours":
        try:
            self.hours()
            ZoneInfo(self.zone)
        except InputError as error:
            raise ValueError(error.message) from error
        except (ZoneInfoNotFoundError, ValueError, OSError) as error:
            raise ValueError(f"zone '{self.zone}' is no time zone, such as Europe/London") from error
        return self

    def hours(self) -> Hours:
        """Return the hours of a week; `InputError` for a text that is none."""
        return frozenset() if self.times == (NEVER,) else read_times(self.times)


class AccountRule(AccountScopeRule):
    """A rule about how accounts sign in."""

    logon_only_on: HostScope | None = Field(None, description="On which hosts alone they may log on.")
    logon_hours: LogonHours | None = Field(None, description="At which hours alone they may log on.")
    memberships: OnlyGroups | None = Field(None, description="In which groups alone they may be.")
    account_standard: tuple[Standard, ...] = Field(
        (), description="What must be so: no service acts for them, a smart card alone, a password that expires, ..."
    )

    @model_validator(mode="before")
    @classmethod
    def _one_standard(cls, value: Any) -> Any:
        if isinstance(value, dict) and isinstance(value.get("account-standard"), str):
            value = {**value, "account-standard": (value["account-standard"],)}
        if isinstance(value, dict) and value.get("logon-hours") == NEVER:
            value = {**value, "logon-hours": {"times": (NEVER,)}}
        return {key: frozen(item) for key, item in value.items()} if isinstance(value, dict) else value

    @model_validator(mode="after")
    def _says_which_hosts(self) -> "AccountRule":
        if self.logon_only_on is not None and self.logon_only_on.everywhere:
            raise ValueError("logon-only-on everywhere says nothing: give under or named")
        return self


@dataclass(frozen=True)
class ResolvedAccountRule(Resolved):
    """A rule about how accounts sign in, with its names found."""

    accounts: ResolvedAccounts
    hosts: ResolvedScope | None = None
    hours: Hours | None = None
    """In its time zone."""
    zone: str = "UTC"
    standards: tuple[Standard, ...] = ()
    memberships: tuple[Principal, ...] | None = None


def resolve_account_rule(rule: AccountRule, names: RuleNames, response: Response) -> Iterator[ResolvedAccountRule]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    accounts = resolve_accounts(names, rule.accounts)
    hosts = resolve_scope(names, rule.logon_only_on, "logon-only-on") if rule.logon_only_on else None
    hours = rule.logon_hours.hours() if rule.logon_hours else None
    only = rule.memberships.only if rule.memberships else None
    groups = tuple(names.of_kind(("memberships", "only"), only, Kind.GROUP)) if only is not None else None
    zone = rule.logon_hours.zone if rule.logon_hours else "UTC"
    if not names.failed:
        yield ResolvedAccountRule(rule, response, accounts, hosts, hours, zone, rule.account_standard, groups)
