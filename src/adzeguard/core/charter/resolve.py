"""From the names in a charter to identities. A name that is none, or two, stops its rule alone."""

import difflib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date

from adzeguard.core.charter.model import (
    Charter,
    GrantRule,
    GroupRule,
    HostScope,
    IntakeRule,
    LocalGroupRule,
    Place,
    ProtectRule,
    Response,
    RosterRow,
    RosterRule,
    RuleBase,
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

    rule: RuleBase
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
    objects: tuple["ObjectRule", ...] = ()

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
    objects: list[ObjectRule] = []
    for rule in charter.rules:
        if not rule.holds_on(day):
            continue
        if isinstance(rule, GroupRule | LocalGroupRule):
            resolved = _RuleResolver(rule, estate, problems).resolve(response)
            rules += [resolved] if resolved is not None else []
        elif isinstance(rule, RosterRule):
            of_roster, absent = _RosterResolver(rule, estate, problems).resolve(response)
            rules += of_roster
            objects += absent
        else:
            found = _ObjectResolver(rule, estate, problems).resolve(response)
            objects += [found] if found is not None else []
    return ResolvedCharter(tuple(rules), tuple(problems), tuple(keepers), charter, tuple(objects))


class _Resolver:
    """Resolves the names of one rule, noting what does not resolve."""

    def __init__(self, rule: RuleBase, estate: Estate, problems: list[NameProblem]) -> None:
        self._rule = rule
        self._estate = estate
        self._problems = problems
        self._failed = False

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

    def principals(self, key: str, names: Iterable[str]) -> tuple[Principal, ...]:
        """Resolve names that must stand in the directory."""
        found = self._references(key, names, local_allowed=False) or ()
        return tuple(reference for reference in found if isinstance(reference, Principal))

    def _container(self, path: tuple[str | int, ...], dn: str) -> str | None:
        found = self._container_object(path, dn)
        return fold_dn(found.dn) if found is not None else None

    def _container_object(self, path: tuple[str | int, ...], dn: str) -> Principal | None:
        full = self._estate.domain.full_dn(dn)
        standing = self._estate.catalogue.by_dn(full)
        if standing is not None:
            return self._estate.principal(standing)
        everything = self._estate.catalogue.principals(self._estate.catalogue.of_kind(Kind.OU).tolist()).values()
        near = difflib.get_close_matches(full, [p.dn for p in everything], 1, 0.6)
        hint = f", did you mean '{near[0]}'?" if near else ""
        self._fail(path, dn, f"there is no '{full}'{hint}")
        return None


class _RuleResolver(_Resolver):
    """Resolves a rule about members."""

    def __init__(self, rule: GroupRule | LocalGroupRule, estate: Estate, problems: list[NameProblem]) -> None:
        super().__init__(rule, estate, problems)
        self._membership = rule

    def resolve(self, response: Response) -> ResolvedRule | None:
        rule = self._membership
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

    def _known_host(self, path: tuple[str | int, ...], name: str) -> None:
        if name.casefold() not in self._estate.hosts_by_name:
            near = difflib.get_close_matches(name.casefold(), list(self._estate.hosts_by_name), 1, 0.5)
            hint = f", did you mean '{self._estate.hosts_by_name[near[0]].name}'?" if near else ""
            self._fail(path, name, f"there is no host '{name}'{hint}")


class _RosterResolver(_Resolver):
    """Resolves a roster: each of its groups becomes a rule of its own, or a group that is yet to be made."""

    def __init__(self, rule: RosterRule, estate: Estate, problems: list[NameProblem]) -> None:
        super().__init__(rule, estate, problems)
        self._roster = rule

    def resolve(self, response: Response) -> tuple[list[ResolvedRule], list["AbsentGroup"]]:
        rule = self._roster
        container = self._container_object(("new-groups", "in"), rule.new_groups.in_) if rule.new_groups else None
        rows: dict[str, list[RosterRow]] = {}
        for row in rule.rows:
            rows.setdefault(row.group, []).append(row)
        rules: list[ResolvedRule] = []
        absent: list[AbsentGroup] = []
        for group, listed in rows.items():
            wanted = self._as_rule(group, listed)
            found = lookup_qualified(self._estate, group) if is_qualified(group) else []
            if found or container is None or not self._may_be_made(group):
                resolved = _RuleResolver(wanted, self._estate, self._problems).resolve(response)
                rules += [resolved] if resolved is not None else []
            else:
                members = _Resolver(wanted, self._estate, self._problems).principals("only", wanted.only or ())
                scope = rule.new_groups.scope if rule.new_groups else ""
                name = group.rpartition("\\")[2]
                absent.append(AbsentGroup(wanted, rule.response or response, name, container, scope, members))
        return rules, absent

    def _may_be_made(self, group: str) -> bool:
        """A group of this domain can be made; a SID, a DN or the group of another domain cannot."""
        domain, _, name = group.rpartition("\\")
        return bool(name) and domain.casefold() == self._estate.domain.short_name.casefold()

    def _as_rule(self, group: str, rows: list[RosterRow]) -> GroupRule:
        rule = self._roster
        members = [row for row in rows if row.member]
        lines: dict[tuple[str | int, ...], int] = {(): rows[0].line}
        lines |= {("only", at): row.line for at, row in enumerate(members)}
        place = Place(file=f"charter/{rule.roster}", lines=lines)
        kept = {key: getattr(rule, key) for key in ("id", "why", "owner", "response", "enabled", "until", "leave")}
        return GroupRule(**kept, group=group, only=tuple(row.member for row in members), place=place)


class _ObjectResolver(_Resolver):
    """Resolves a rule about objects themselves."""

    def __init__(self, rule: ProtectRule | IntakeRule | GrantRule, estate: Estate, problems: list[NameProblem]) -> None:
        super().__init__(rule, estate, problems)
        self._object_rule = rule

    def resolve(self, response: Response) -> "ObjectRule | None":
        rule = self._object_rule
        answer = rule.response or response
        found: ObjectRule
        if isinstance(rule, ProtectRule):
            objects = [self._container_object(("protect", at), dn) for at, dn in enumerate(rule.protect)]
            found = Protection(rule, answer, tuple(o for o in objects if o is not None))
        elif isinstance(rule, IntakeRule):
            named = {"users": rule.intake.users, "computers": rule.intake.computers}
            landings = {what: self._container_object(("intake", what), dn) for what, dn in named.items() if dn}
            found = Landings(rule, answer, {what: o for what, o in landings.items() if o is not None})
        else:
            over = self._object(("over",), rule.over)
            if over is None:
                return None
            found = GrantWish(rule, answer, over, self.principals("to", rule.to))
        return None if self._failed else found

    def _object(self, path: tuple[str | int, ...], name: str) -> Principal | None:
        return self._container_object(path, name) if "=" in name else self._principal(path, name)


@dataclass(frozen=True, slots=True)
class AbsentGroup:
    """A group that a roster names, that does not exist, and that the roster lets be made."""

    rule: GroupRule
    response: Response
    name: str
    container: Principal
    scope: str
    members: tuple[Principal, ...]


@dataclass(frozen=True, slots=True)
class Protection:
    """OUs that are to be protected against deletion."""

    rule: ProtectRule
    response: Response
    objects: tuple[Principal, ...]


@dataclass(frozen=True, slots=True)
class Landings:
    """Where new users and computers are to land."""

    rule: IntakeRule
    response: Response
    containers: Mapping[str, Principal]


@dataclass(frozen=True, slots=True)
class GrantWish:
    """Rights that are to stand over an object."""

    rule: GrantRule
    response: Response
    over: Principal
    to: tuple[Principal, ...]


ObjectRule = AbsentGroup | Protection | Landings | GrantWish
