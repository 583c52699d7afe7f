"""Rules about members with their names found."""

import difflib
from collections.abc import Mapping
from dataclasses import dataclass

from adzeguard.core.charter.model import GroupRule, HostScope, LocalGroupRule, Response
from adzeguard.core.charter.references import LOCAL_PREFIX, LocalName, NameProblem, Reference, RuleNames
from adzeguard.core.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.wellknown import LOCAL_GROUPS


@dataclass(frozen=True, slots=True)
class ResolvedScope:
    """A host scope with its OUs found; names and DNs are folded."""

    everywhere: bool
    under: Mapping[str, str]
    """The OUs, folded, and as the rule writes them."""
    named: frozenset[str]
    excepted: frozenset[str]


@dataclass(frozen=True)
class ResolvedRule:
    """A rule whose names all stand for something."""

    rule: GroupRule | LocalGroupRule
    response: Response
    only: tuple[Reference, ...] | None
    include: tuple[Reference, ...]
    exclude: tuple[Reference, ...]
    reach_only: tuple[Reference, ...] | None
    group: Principal | None = None
    local_group: Sid | LocalName | None = None
    scope: ResolvedScope | None = None

    @property
    def id(self) -> str:
        """The id of the rule."""
        return self.rule.id


class MembershipResolver(RuleNames):
    """Resolves a rule about members."""

    def __init__(self, rule: GroupRule | LocalGroupRule, estate: Estate, problems: list[NameProblem]) -> None:
        super().__init__(rule, estate, problems)
        self._membership = rule

    def resolve(self, response: Response) -> ResolvedRule | None:
        """Return the rule with its names found, or nothing where one cannot be used."""
        rule = self._membership
        on_host = isinstance(rule, LocalGroupRule)
        lists = {
            key: self.references(key, names, local_allowed=on_host)
            for key, names in (
                ("only", rule.only),
                ("include", rule.include),
                ("exclude", rule.exclude),
                ("reach-only", rule.reach_only),
            )
        }
        group = self._group(rule) if isinstance(rule, GroupRule) else None
        local_group = self._local_group(rule) if isinstance(rule, LocalGroupRule) else None
        scope = self._scope(rule.hosts) if isinstance(rule, LocalGroupRule) else None
        if self.failed:
            return None
        return ResolvedRule(
            rule,
            rule.response or response,
            lists["only"],
            lists["include"] or (),
            lists["exclude"] or (),
            lists["reach-only"],
            group,
            local_group,
            scope,
        )

    def _group(self, rule: GroupRule) -> Principal | None:
        found = self.principal(("group",), rule.group)
        if found is not None and found.kind != Kind.GROUP:
            self.fail(("group",), rule.group, f"'{rule.group}' is a {found.kind.label}, not a group")
        return found

    def _local_group(self, rule: LocalGroupRule) -> Sid | LocalName | None:
        name = rule.local_group
        if name.casefold().startswith(LOCAL_PREFIX):
            return LocalName(name[len(LOCAL_PREFIX) :])
        if name in LOCAL_GROUPS:
            return LOCAL_GROUPS[name]
        near = difflib.get_close_matches(name.casefold().replace(" ", "-"), LOCAL_GROUPS, 1, 0.4)
        hint = f"did you mean '{near[0]}'? " if near else ""
        self.fail(
            ("local-group",),
            name,
            rf"'{name}' is no local group that every host has; {hint}A host's own is local\{name}",
        )
        return None

    def _scope(self, scope: HostScope) -> ResolvedScope:
        under = {found: dn for i, dn in enumerate(scope.under) if (found := self.container(("hosts", "under", i), dn))}
        for key, names in (("named", scope.named), ("except", scope.except_)):
            for i, name in enumerate(names):
                self._known_host(("hosts", key, i), name)
        named = frozenset(name.casefold() for name in scope.named)
        return ResolvedScope(bool(scope.everywhere), under, named, frozenset(n.casefold() for n in scope.except_))

    def _known_host(self, path: tuple[str | int, ...], name: str) -> None:
        if name.casefold() not in self._estate.hosts_by_name:
            near = difflib.get_close_matches(name.casefold(), list(self._estate.hosts_by_name), 1, 0.5)
            hint = f", did you mean '{self._estate.hosts_by_name[near[0]].name}'?" if near else ""
            self.fail(path, name, f"there is no host '{name}'{hint}")
