"""Which rules hold on which host, and how close each is."""

from collections.abc import Iterable
from dataclasses import dataclass

from adzeguard.core.charter.membership_rules import ResolvedRule
from adzeguard.core.estate import Host
from adzeguard.core.identity import fold_dn, parent_dn

NAMED = 0
EVERYWHERE = 1_000_000


@dataclass(frozen=True, slots=True)
class Holding:
    """A rule that holds for one group or host; `distance` 0 is closest, an OU counts the levels up to it."""

    rule: ResolvedRule
    distance: int
    scope: str
    """In words: where the rule says that it holds."""


class HostScopes:
    """Finds the rules that hold on a host. Hosts of the same OU share the answer."""

    def __init__(self, rules: Iterable[ResolvedRule]) -> None:
        self._rules = [rule for rule in rules if rule.scope is not None]
        self._by_container: dict[str, list[Holding]] = {}
        self._naming: dict[str, list[ResolvedRule]] = {}
        self._excepting: dict[str, list[ResolvedRule]] = {}
        for rule in self._rules:
            assert rule.scope is not None  # noqa: S101 - filtered above
            for name in rule.scope.named:
                self._naming.setdefault(name, []).append(rule)
            for name in rule.scope.excepted:
                self._excepting.setdefault(name, []).append(rule)

    def holding_on(self, host: Host) -> list[Holding]:
        """Return the rules that hold on the host, closest first."""
        name = host.name.casefold()
        naming = self._naming.get(name, [])
        excepting = self._excepting.get(name, [])
        of_container = self._of_container(parent_dn(fold_dn(host.dn)))
        if not naming and not excepting:
            return of_container
        found = [Holding(rule, NAMED, f"the host {host.name} by name") for rule in naming]
        found += [h for h in of_container if h.rule not in naming]
        return [h for h in found if h.rule not in excepting]

    def excepted_on(self, host: Host) -> list[Holding]:
        """Return the rules that would hold on the host if they did not except it by name."""
        excepting = self._excepting.get(host.name.casefold(), [])
        return [h for h in self._of_container(parent_dn(fold_dn(host.dn))) if h.rule in excepting]

    def _of_container(self, container: str) -> list[Holding]:
        if container not in self._by_container:
            found = [h for rule in self._rules if (h := _closest(rule, container)) is not None]
            self._by_container[container] = sorted(found, key=lambda h: h.distance)
        return self._by_container[container]


def _closest(rule: ResolvedRule, container: str) -> Holding | None:
    scope = rule.scope
    assert scope is not None  # noqa: S101 - only asked of host rules
    levels = [
        (container[: -len(ou) or None].count("="), ou)
        for ou in scope.under
        if container == ou or container.endswith("," + ou)
    ]
    if levels:
        distance, ou = min(levels)
        return Holding(rule, distance + 1, f"under {scope.under[ou]}")
    return Holding(rule, EVERYWHERE, "everywhere") if scope.everywhere else None
