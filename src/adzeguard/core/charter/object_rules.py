"""Rules about objects themselves, and rosters, with their names found."""

from collections.abc import Mapping
from dataclasses import dataclass

from adzeguard.core.charter.membership_rules import MembershipResolver, ResolvedRule
from adzeguard.core.charter.model import (
    GrantRule,
    GroupRule,
    IntakeRule,
    Place,
    ProtectRule,
    Response,
    RosterRow,
    RosterRule,
)
from adzeguard.core.charter.references import NameProblem, RuleNames
from adzeguard.core.estate import Estate
from adzeguard.core.names import is_qualified, lookup_qualified
from adzeguard.core.principal import Principal


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


class RosterResolver(RuleNames):
    """Resolves a roster: each of its groups becomes a rule of its own, or a group that is yet to be made."""

    def __init__(self, rule: RosterRule, estate: Estate, problems: list[NameProblem]) -> None:
        super().__init__(rule, estate, problems)
        self._roster = rule

    def resolve(self, response: Response) -> tuple[list[ResolvedRule], list[AbsentGroup]]:
        """Return a rule for each group that exists, and the groups that are yet to be made."""
        rule = self._roster
        container = self.container_object(("new-groups", "in"), rule.new_groups.in_) if rule.new_groups else None
        rows: dict[str, list[RosterRow]] = {}
        for row in rule.rows:
            rows.setdefault(row.group, []).append(row)
        rules: list[ResolvedRule] = []
        absent: list[AbsentGroup] = []
        for group, listed in rows.items():
            wanted = self._as_rule(group, listed)
            found = lookup_qualified(self._estate, group) if is_qualified(group) else []
            if found or container is None or not self._may_be_made(group):
                resolved = MembershipResolver(wanted, self._estate, self._problems).resolve(response)
                rules += [resolved] if resolved is not None else []
            else:
                members = RuleNames(wanted, self._estate, self._problems).principals("only", wanted.only or ())
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


class ObjectResolver(RuleNames):
    """Resolves a rule about objects themselves."""

    def __init__(self, rule: ProtectRule | IntakeRule | GrantRule, estate: Estate, problems: list[NameProblem]) -> None:
        super().__init__(rule, estate, problems)
        self._object_rule = rule

    def resolve(self, response: Response) -> ObjectRule | None:
        """Return what the rule asks for, or nothing where a name in it cannot be used."""
        rule = self._object_rule
        answer = rule.response or response
        found: ObjectRule
        if isinstance(rule, ProtectRule):
            objects = [self.container_object(("protect", at), dn) for at, dn in enumerate(rule.protect)]
            found = Protection(rule, answer, tuple(o for o in objects if o is not None))
        elif isinstance(rule, IntakeRule):
            named = {"users": rule.intake.users, "computers": rule.intake.computers}
            landings = {what: self.container_object(("intake", what), dn) for what, dn in named.items() if dn}
            found = Landings(rule, answer, {what: o for what, o in landings.items() if o is not None})
        else:
            over = self._object(("over",), rule.over)
            if over is None:
                return None
            found = GrantWish(rule, answer, over, self.principals("to", rule.to))
        return None if self.failed else found

    def _object(self, path: tuple[str | int, ...], name: str) -> Principal | None:
        return self.container_object(path, name) if "=" in name else self.principal(path, name)
