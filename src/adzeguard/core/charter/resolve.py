"""From the names in a charter to identities: every rule in force with what its names stand for."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date

from adzeguard.core.charter.membership_rules import MembershipResolver, ResolvedRule
from adzeguard.core.charter.model import Charter, GroupRule, LocalGroupRule, Response, RosterRule
from adzeguard.core.charter.object_rules import ObjectResolver, ObjectRule, RosterResolver
from adzeguard.core.charter.references import NameProblem
from adzeguard.core.estate import Estate
from adzeguard.core.principal import Principal


@dataclass(frozen=True)
class ResolvedCharter:
    """The rules in force with their names found, and what could not be found."""

    rules: tuple[ResolvedRule, ...]
    problems: tuple[NameProblem, ...]
    keepers: tuple[Principal, ...]
    charter: Charter = field(default_factory=Charter)
    objects: tuple[ObjectRule, ...] = ()

    @property
    def group_rules(self) -> list[ResolvedRule]:
        """The rules about directory groups."""
        return [rule for rule in self.rules if rule.group is not None]

    @property
    def host_rules(self) -> list[ResolvedRule]:
        """The rules about local groups."""
        return [rule for rule in self.rules if rule.scope is not None]


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
            resolved = MembershipResolver(rule, estate, problems).resolve(response)
            rules += [resolved] if resolved is not None else []
        elif isinstance(rule, RosterRule):
            of_roster, absent = RosterResolver(rule, estate, problems).resolve(response)
            rules += of_roster
            objects += absent
        else:
            found = ObjectResolver(rule, estate, problems).resolve(response)
            objects += [found] if found is not None else []
    return ResolvedCharter(tuple(rules), tuple(problems), tuple(keepers), charter, tuple(objects))
