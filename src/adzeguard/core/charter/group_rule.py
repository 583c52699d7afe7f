"""Rules about a group of the directory."""

from collections.abc import Iterator

from adzeguard.core.charter.membership import MembershipRule, ResolvedMembership, resolve_lists
from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import PrincipalName, Response
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.values import dataclass


class GroupRule(MembershipRule):
    """A rule about a group of the directory."""

    group: PrincipalName


@dataclass(frozen=True)
class ResolvedGroupRule(ResolvedMembership):
    """A rule about a directory group that was found."""

    group: Principal


def resolve_group_rule(rule: GroupRule, names: RuleNames, response: Response) -> Iterator[ResolvedGroupRule]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    lists = resolve_lists(names, rule, local_allowed=False)
    group = names.principal(("group",), rule.group)
    if group is not None and group.kind != Kind.GROUP:
        names.fail(("group",), rule.group, f"'{rule.group}' is {group.kind.one}, not a group")
    elif group is not None and not names.failed:
        yield ResolvedGroupRule(rule, response, **lists, group=group)
