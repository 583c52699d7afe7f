"""Standards: what holds for a whole directory or a part of it, told and never mended by itself."""

from collections.abc import Iterator, Mapping
from typing import Any, Literal

from pydantic import Field, model_validator

from adzeguard.core.charter.account_scope import AccountScope, ResolvedAccounts, resolve_accounts
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import PrincipalName, Resolved, Response, RuleBase, Strict, one_or_many
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.values import dataclass

ObjectWord = Literal["users", "groups", "computers", "ous"]


class GroupScope(Strict):
    """Groups: below OUs, by patterns of their names, less some. At least one of under and named."""

    under: tuple[str, ...] = Field((), description="The groups below these OUs; the base DN may be left off.")
    named: tuple[str, ...] = Field(
        (), description="Groups whose names fit one of these patterns: * and ? stand for others."
    )
    except_: tuple[str, ...] = Field((), description="Not the groups whose names fit one of these.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "under", "named", "except")

    @model_validator(mode="after")
    def _says_which(self) -> "GroupScope":
        if not (self.under or self.named):
            raise ValueError("says no groups: give under or named")
        return self


class MostPeople(Strict):
    """How many people may be inside groups, by any nesting."""

    groups: tuple[PrincipalName, ...] = Field(min_length=1, description="The groups.")
    most: int = Field(ge=0, description="How many.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "groups")


class NestingDiscipline(Strict):
    """Groups for roles hold people alone, and groups for resources hold groups for roles alone."""

    roles: GroupScope
    resources: GroupScope


class Naming(Strict):
    """How objects of a kind are called."""

    objects: ObjectWord
    under: tuple[str, ...] = Field((), description="Those below these OUs; otherwise all but the domain's own.")
    like: tuple[str, ...] = Field(
        min_length=1, description="Patterns: * and ? stand for others, [a-z] for one of these."
    )

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "under", "like")


class UsedWithin(Strict):
    """Accounts that must be used, or be given up."""

    accounts: AccountScope
    days: int = Field(ge=1, description="Within how many days; the directory's stamp may be 14 days late.")


class PasswordWithin(Strict):
    """Accounts whose password must be renewed."""

    accounts: AccountScope
    days: int = Field(ge=1, description="Within how many days.")


class ApartFrom(Strict):
    """Accounts of administrators are others than those that people use every day."""

    accounts: AccountScope
    like: tuple[str, ...] = Field(min_length=1, description="Patterns of the names of accounts for administration.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "like")


class Standards(Strict):
    """What must hold. One or several of these."""

    most_people: MostPeople | None = Field(None, description="How many people may be inside groups.")
    no_mailbox: AccountScope | None = Field(None, description="Accounts that have no mailbox.")
    apart: ApartFrom | None = Field(None, description="Accounts for administration, and not for every day.")
    nesting: NestingDiscipline | None = Field(None, description="Role groups hold people, resource groups role groups.")
    naming: Naming | None = Field(None, description="How objects are called.")
    nothing_in: tuple[str, ...] = Field((), description="Containers in which no account and no group lies.")
    owned: GroupScope | None = Field(None, description="Groups of which somebody is noted as the manager.")
    used_within: UsedWithin | None = Field(None, description="Accounts that must be used.")
    password_changed_within: PasswordWithin | None = Field(None, description="Accounts whose password must be renewed.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "nothing-in")

    @model_validator(mode="after")
    def _says_something(self) -> "Standards":
        if not any(getattr(self, name) for name in type(self).model_fields):
            raise ValueError("says no standard, such as most-people, no-mailbox, nesting or owned")
        return self


class StandardRule(RuleBase):
    """A rule about what holds for a whole directory or a part of it."""

    standard: Standards


@dataclass(frozen=True, slots=True)
class ResolvedGroups:
    """A scope of groups with its OUs found."""

    under: Mapping[str, str]
    named: tuple[str, ...]
    excepted: tuple[str, ...]


@dataclass(frozen=True)
class ResolvedStandards(Resolved):
    """Standards with their names found; what the rule does not say is nothing."""

    form: Standards
    people_in: tuple[Principal, ...] = ()
    no_mailbox: ResolvedAccounts | None = None
    apart: ResolvedAccounts | None = None
    used: ResolvedAccounts | None = None
    renewed: ResolvedAccounts | None = None
    roles: ResolvedGroups | None = None
    resources: ResolvedGroups | None = None
    owned: ResolvedGroups | None = None
    naming_under: Mapping[str, str] | None = None
    nothing_in: tuple[str, ...] = ()


def resolve_standards(rule: StandardRule, names: RuleNames, response: Response) -> Iterator[ResolvedStandards]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    form = rule.standard
    groups = form.most_people.groups if form.most_people else ()
    found = [names.principal(("standard", "most-people", "groups", i), name) for i, name in enumerate(groups)]
    for i, one in enumerate(found):
        if one is not None and one.kind != Kind.GROUP:
            names.fail(("standard", "most-people", "groups", i), groups[i], f"'{groups[i]}' is {one.kind.one}")
    nothing_in = [names.container(("standard", "nothing-in", i), dn) for i, dn in enumerate(form.nothing_in)]
    resolved = ResolvedStandards(
        rule,
        response,
        form,
        tuple(one for one in found if one is not None),
        resolve_accounts(names, form.no_mailbox) if form.no_mailbox else None,
        resolve_accounts(names, form.apart.accounts) if form.apart else None,
        resolve_accounts(names, form.used_within.accounts) if form.used_within else None,
        resolve_accounts(names, form.password_changed_within.accounts) if form.password_changed_within else None,
        _groups(names, form.nesting.roles, "roles") if form.nesting else None,
        _groups(names, form.nesting.resources, "resources") if form.nesting else None,
        _groups(names, form.owned, "owned") if form.owned else None,
        _under(names, form.naming.under, "naming") if form.naming else None,
        tuple(dn for dn in nothing_in if dn),
    )
    if not names.failed:
        yield resolved


def _groups(names: RuleNames, scope: GroupScope, key: str) -> ResolvedGroups:
    return ResolvedGroups(_under(names, scope.under, key), scope.named, scope.except_)


def _under(names: RuleNames, dns: tuple[str, ...], key: str) -> Mapping[str, str]:
    return {ou: dn for i, dn in enumerate(dns) if (ou := names.container(("standard", key, "under", i), dn))}
