"""On which hosts a rule holds, as the charter writes it and with its names found."""

from collections.abc import Mapping
from typing import Any, Literal, Protocol, runtime_checkable

from pydantic import Field, model_validator

from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import RuleBase, Strict, one_or_many
from adzeguard.core.values import dataclass
from adzeguard.core.wording import did_you_mean


class HostScope(Strict):
    """On which hosts a rule holds. At least one of everywhere, under and named."""

    everywhere: Literal[True] | None = Field(None, description="On every host.")
    under: tuple[str, ...] = Field((), description="On the hosts below these OUs; the base DN may be left off.")
    named: tuple[str, ...] = Field((), description="On these hosts; the closest scope there is.")
    except_: tuple[str, ...] = Field((), description="Not on these hosts, even if another rule or key says so.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "under", "named", "except")

    @model_validator(mode="after")
    def _says_where(self) -> "HostScope":
        if not (self.everywhere or self.under or self.named):
            raise ValueError("says no hosts: give under, named or everywhere")
        return self


class HostRule(RuleBase):
    """A rule about hosts; what it demands of them is its own key."""

    hosts: HostScope


@dataclass(frozen=True, slots=True)
class ResolvedScope:
    """A host scope with its OUs found; names and DNs are folded."""

    everywhere: bool
    under: Mapping[str, str]
    """The OUs, folded, and as the rule writes them."""
    named: frozenset[str]
    excepted: frozenset[str]


@runtime_checkable
class OnHosts(Protocol):
    """A resolved rule about hosts."""

    @property
    def id(self) -> str:
        """The id of the rule."""

    @property
    def scope(self) -> ResolvedScope:
        """Where it holds."""


def on_hosts(rule: object) -> OnHosts | None:
    """Return a rule as one about hosts, if it is; the scope of other rules, such as that of new groups, is another."""
    return rule if isinstance(rule, OnHosts) and isinstance(rule.scope, ResolvedScope) else None


def resolve_scope(names: RuleNames, scope: HostScope, key: str = "hosts") -> ResolvedScope:
    """Find the OUs and hosts of a scope; what cannot be found is noted, and stops the rule."""
    under = {ou: dn for i, dn in enumerate(scope.under) if (ou := names.container((key, "under", i), dn))}
    for part, listed in (("named", scope.named), ("except", scope.except_)):
        for i, name in enumerate(listed):
            _known_host(names, (key, part, i), name)
    named = frozenset(name.casefold() for name in scope.named)
    return ResolvedScope(bool(scope.everywhere), under, named, frozenset(n.casefold() for n in scope.except_))


def _known_host(names: RuleNames, path: tuple[str | int, ...], name: str) -> None:
    if names.estate.host_named(name) is None:
        hosts = names.estate.hosts_by_name
        near = did_you_mean(name.casefold(), hosts, shown=lambda folded: f"'{hosts[folded].name}'")
        names.fail(path, name, f"there is no host '{name}'{near}")
