"""Rules about a local group on hosts."""

from collections.abc import Iterator
from dataclasses import dataclass

from pydantic import Field

from adzeguard.core.charter.host_scope import HostRule, ResolvedScope, resolve_scope
from adzeguard.core.charter.membership import MembershipRule, ResolvedMembership, resolve_lists
from adzeguard.core.charter.references import LOCAL_PREFIX, LocalName, RuleNames
from adzeguard.core.charter.rule import Response
from adzeguard.core.estate.hosts import HostState, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import LOCAL_GROUPS, local_group_name
from adzeguard.core.wording import nearest


class LocalGroupRule(HostRule, MembershipRule):
    """A rule about a local group on hosts."""

    local_group: str = Field(
        description=r"administrators, remote-desktop-users, … or local\Name for a group of the host's own."
    )


@dataclass(frozen=True)
class ResolvedLocalGroupRule(ResolvedMembership):
    """A rule about a local group, with its hosts found."""

    local_group: Sid | LocalName
    scope: ResolvedScope

    def group_on(self, state: HostState) -> LocalGroup | None:
        """Return the host's group that the rule is about."""
        if isinstance(self.local_group, LocalName):
            return state.group_named(self.local_group.name)
        return state.group(self.local_group)

    @property
    def group_label(self) -> str:
        """The group as people write it."""
        if isinstance(self.local_group, LocalName):
            return self.local_group.name
        return local_group_name(self.local_group) or str(self.local_group)


def resolve_local_group_rule(
    rule: LocalGroupRule, names: RuleNames, response: Response
) -> Iterator[ResolvedLocalGroupRule]:
    """Yield the rule with its names found, or nothing where one cannot be used."""
    lists = resolve_lists(names, rule, local_allowed=True)
    local_group = _local_group(rule.local_group, names)
    scope = resolve_scope(names, rule.hosts)
    if local_group is not None and not names.failed:
        yield ResolvedLocalGroupRule(rule, response, **lists, local_group=local_group, scope=scope)


def _local_group(name: str, names: RuleNames) -> Sid | LocalName | None:
    if name.casefold().startswith(LOCAL_PREFIX):
        return LocalName(name[len(LOCAL_PREFIX) :])
    if name in LOCAL_GROUPS:
        return LOCAL_GROUPS[name]
    near = nearest(name.casefold().replace(" ", "-"), LOCAL_GROUPS, 0.4)
    hint = f"did you mean '{near}'? " if near else ""
    message = rf"'{name}' is no local group that every host has; {hint}A host's own is local\{name}"
    names.fail(("local-group",), name, message)
    return None
