"""Which rules hold on which host, and how close each is."""

from collections.abc import Iterable
from functools import lru_cache
from typing import Generic, TypeVar

from adzeguard.core.charter.host_scope import OnHosts
from adzeguard.core.charter.membership import ResolvedMembership
from adzeguard.core.estate.hosts import Host
from adzeguard.core.identity import fold_dn, parent_dn, upwards
from adzeguard.core.values import dataclass

NAMED = 0
EVERYWHERE = 1_000_000
RuleT_co = TypeVar("RuleT_co", covariant=True)
HostRuleT = TypeVar("HostRuleT", bound=OnHosts)


@dataclass(frozen=True, slots=True)
class ScopedRule(Generic[RuleT_co]):
    """A rule at one group or host; `distance` 0 is closest, an OU counts the levels up to it."""

    rule: RuleT_co
    distance: int
    scope: str
    """In words: where the rule says that it holds."""


MemberRule = ScopedRule[ResolvedMembership]
"""A rule about members, at one group."""


class HostScopes(Generic[HostRuleT]):
    """Finds the rules that hold on a host. Hosts of the same OU share the answer."""

    def __init__(self, rules: Iterable[HostRuleT]) -> None:
        self._rules = tuple(rules)
        self._by_container: dict[str, list[ScopedRule[HostRuleT]]] = {}
        self._naming: dict[str, list[HostRuleT]] = {}
        self._excepting: dict[str, list[HostRuleT]] = {}
        self._under: dict[str, list[int]] = {}
        self._everywhere = [place for place, rule in enumerate(self._rules) if rule.scope.everywhere]
        for place, rule in enumerate(self._rules):
            for ou in rule.scope.under:
                self._under.setdefault(ou, []).append(place)
            for name in rule.scope.named:
                self._naming.setdefault(name, []).append(rule)
            for name in rule.scope.excepted:
                self._excepting.setdefault(name, []).append(rule)

    @property
    def rules(self) -> tuple[HostRuleT, ...]:
        """The rules themselves."""
        return self._rules

    @property
    def has_rules(self) -> bool:
        """Whether there is any rule at all."""
        return bool(self._rules)

    def on(self, host: Host) -> list[ScopedRule[HostRuleT]]:
        """Return the rules that hold on the host, closest first."""
        of_container = self._of_container(_container_of(host.dn))
        if not self._naming and not self._excepting:
            return of_container
        name = host.name.casefold()
        naming = self._naming.get(name, [])
        excepting = self._excepting.get(name, [])
        if not naming and not excepting:
            return of_container
        closest = [ScopedRule(rule, NAMED, f"the host {host.name} by name") for rule in naming]
        closest += [scoped for scoped in of_container if scoped.rule not in naming]
        return [scoped for scoped in closest if scoped.rule not in excepting]

    def excepted_on(self, host: Host) -> list[ScopedRule[HostRuleT]]:
        """Return the rules that would hold on the host if they did not except it by name."""
        excepting = self._excepting.get(host.name.casefold(), []) if self._excepting else []
        return [s for s in self._of_container(_container_of(host.dn)) if s.rule in excepting] if excepting else []

    def _of_container(self, container: str) -> list[ScopedRule[HostRuleT]]:
        if container not in self._by_container:
            found: dict[int, ScopedRule[HostRuleT]] = {}
            for distance, ou in enumerate(upwards(container)):
                for place in self._under.get(ou, ()):
                    rule = self._rules[place]
                    found.setdefault(place, ScopedRule(rule, distance + 1, f"under {rule.scope.under[ou]}"))
            for place in self._everywhere:
                found.setdefault(place, ScopedRule(self._rules[place], EVERYWHERE, "everywhere"))
            in_order = sorted(found.items(), key=lambda item: (item[1].distance, item[0]))
            self._by_container[container] = [scoped for _, scoped in in_order]
        return self._by_container[container]


@lru_cache(maxsize=1 << 16)
def _container_of(dn: str) -> str:
    """Return the folded name of what a host lies in; a dozen kinds of rules ask of each host."""
    return parent_dn(fold_dn(dn))
