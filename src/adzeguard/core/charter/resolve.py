"""From the names in a charter to identities. A name that is none, or two, stops its rule alone."""

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date

from adzeguard.core.charter.model import (
    Charter,
    GroupRule,
    HostScope,
    LocalGroupRule,
    MembershipRule,
    Response,
)
from adzeguard.core.errors import InputError
from adzeguard.core.estate import Estate, HostState
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.names import (
    candidate_lines,
    hosts_with_local_group,
    is_qualified,
    lookup_qualified,
    suggestions,
)
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.wellknown import LOCAL_GROUPS

LOCAL_PREFIX = "local\\"
MemberKey = str
"""What a member is compared by: its SID, or its folded DN when it has none (a contact)."""


@dataclass(frozen=True, slots=True)
class LocalName:
    """An account or group of whichever host is looked at."""

    name: str

    def on(self, state: HostState) -> Sid | None:
        """Return its SID on one host, or nothing when the host has none of that name."""
        group = state.group_named(self.name)
        return state.account_named(self.name) or (group.sid if group else None)


Reference = Principal | LocalName


@dataclass(frozen=True, slots=True)
class NameProblem:
    """A name in a rule that stands for nothing, or for several things."""

    rule: MembershipRule
    where: str
    name: str
    message: str


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


@dataclass(frozen=True)
class ResolvedCharter:
    """The rules in force with their names found, and what could not be found."""

    rules: tuple[ResolvedRule, ...]
    problems: tuple[NameProblem, ...]
    keepers: tuple[Principal, ...]
    charter: Charter = field(default_factory=Charter)

    @property
    def group_rules(self) -> list[ResolvedRule]:
        """The rules about directory groups."""
        return [rule for rule in self.rules if rule.group is not None]

    @property
    def host_rules(self) -> list[ResolvedRule]:
        """The rules about local groups."""
        return [rule for rule in self.rules if rule.scope is not None]


def member_key(principal: Principal) -> MemberKey:
    """Return what this member is compared by."""
    return principal.sid or fold_dn(principal.dn)


def resolve_charter(
    charter: Charter, estate: Estate, day: date, response: Response, keepers: Iterable[Principal]
) -> ResolvedCharter:
    """Resolve every rule in force on that day. `response` is the workspace's own, for rules that say none."""
    rules: list[ResolvedRule] = []
    problems: list[NameProblem] = []
    for rule in charter.rules:
        if rule.holds_on(day):
            resolved = _RuleResolver(rule, estate, problems).resolve(response)
            if resolved is not None:
                rules.append(resolved)
    return ResolvedCharter(tuple(rules), tuple(problems), tuple(keepers), charter)


class _RuleResolver:
    """Resolves the names of one rule, noting what does not resolve."""

    def __init__(self, rule: GroupRule | LocalGroupRule, estate: Estate, problems: list[NameProblem]) -> None:
        self._rule = rule
        self._estate = estate
        self._problems = problems
        self._failed = False

    def resolve(self, response: Response) -> ResolvedRule | None:
        rule = self._rule
        on_host = isinstance(rule, LocalGroupRule)
        lists = {
            key: self._references(key, names, local_allowed=on_host)
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
        if self._failed:
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

    def _fail(self, path: tuple[str | int, ...], name: str, message: str) -> None:
        self._failed = True
        self._problems.append(NameProblem(self._rule, self._rule.place.at(*path), name, message))

    def _references(
        self, key: str, names: Iterable[str] | None, *, local_allowed: bool
    ) -> tuple[Reference, ...] | None:
        if names is None:
            return None
        found = (self._reference((key, i), name, local_allowed=local_allowed) for i, name in enumerate(names))
        return tuple(reference for reference in found if reference is not None)

    def _reference(self, path: tuple[str | int, ...], name: str, *, local_allowed: bool) -> Reference | None:
        if name.casefold().startswith(LOCAL_PREFIX):
            if local_allowed:
                return LocalName(name[len(LOCAL_PREFIX) :])
            self._fail(
                path,
                name,
                f"'{name}' is of a host, and a directory group holds only what is in the directory",
            )
            return None
        return self._principal(path, name)

    def _principal(self, path: tuple[str | int, ...], name: str) -> Principal | None:
        if not is_qualified(name):
            self._fail(path, name, self._bare(name))
            return None
        try:
            found = lookup_qualified(self._estate, name)
        except InputError as error:
            self._fail(path, name, error.message)
            return None
        if len(found) == 1:
            return found[0]
        if found:
            self._fail(path, name, f"'{name}' stands for {len(found)} objects:\n{candidate_lines(found)}")
        else:
            near = suggestions(self._estate, name.rpartition("\\")[2].partition("@")[0])
            hint = f", did you mean '{near[0].qualified_name}'?" if near else ""
            self._fail(path, name, f"nothing is called '{name}'{hint}")
        return None

    def _bare(self, name: str) -> str:
        """A bare name can stand in the directory and on every host and mean different things."""
        found = self._estate.catalogue.principals(self._estate.catalogue.by_name(name)).values()
        candidates = [f"{p.qualified_name} ({p.kind.label} of the directory)" for p in found]
        twins = hosts_with_local_group(self._estate, name)
        if twins:
            candidates.append(rf"local\{name} (local group on {len(twins)} hosts)")
        meant = ", or ".join(candidates) if candidates else rf"DOMAIN\{name} or local\{name}"
        return f"'{name}' does not say where it stands: write {meant}"

    def _group(self, rule: GroupRule) -> Principal | None:
        found = self._principal(("group",), rule.group)
        if found is not None and found.kind != Kind.GROUP:
            self._fail(("group",), rule.group, f"'{rule.group}' is a {found.kind.label}, not a group")
        return found

    def _local_group(self, rule: LocalGroupRule) -> Sid | LocalName | None:
        name = rule.local_group
        if name.casefold().startswith(LOCAL_PREFIX):
            return LocalName(name[len(LOCAL_PREFIX) :])
        if name in LOCAL_GROUPS:
            return LOCAL_GROUPS[name]
        near = difflib.get_close_matches(name.casefold().replace(" ", "-"), LOCAL_GROUPS, 1, 0.4)
        hint = f"did you mean '{near[0]}'? " if near else ""
        self._fail(
            ("local-group",),
            name,
            rf"'{name}' is no local group that every host has; {hint}A host's own is local\{name}",
        )
        return None

    def _scope(self, scope: HostScope) -> ResolvedScope:
        under = {found: dn for i, dn in enumerate(scope.under) if (found := self._container(("hosts", "under", i), dn))}
        for key, names in (("named", scope.named), ("except", scope.except_)):
            for i, name in enumerate(names):
                self._known_host(("hosts", key, i), name)
        named = frozenset(name.casefold() for name in scope.named)
        return ResolvedScope(bool(scope.everywhere), under, named, frozenset(n.casefold() for n in scope.except_))

    def _container(self, path: tuple[str | int, ...], dn: str) -> str | None:
        full = self._estate.domain.full_dn(dn)
        if self._estate.catalogue.by_dn(full) is not None:
            return fold_dn(full)
        everything = self._estate.catalogue.principals(self._estate.catalogue.of_kind(Kind.OU).tolist()).values()
        near = difflib.get_close_matches(full, [p.dn for p in everything], 1, 0.6)
        hint = f", did you mean '{near[0]}'?" if near else ""
        self._fail(path, dn, f"there is no '{full}'{hint}")
        return None

    def _known_host(self, path: tuple[str | int, ...], name: str) -> None:
        if name.casefold() not in self._estate.hosts_by_name:
            near = difflib.get_close_matches(name.casefold(), list(self._estate.hosts_by_name), 1, 0.5)
            hint = f", did you mean '{self._estate.hosts_by_name[near[0]].name}'?" if near else ""
            self._fail(path, name, f"there is no host '{name}'{hint}")
