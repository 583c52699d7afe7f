"""Rules about a local group on hosts."""

from collections.abc import Iterator
from functools import cached_property

from pydantic import Field

from adzeguard.core.charter.host_scope import HostRule, ResolvedScope, resolve_scope
from adzeguard.core.charter.membership import MembershipRule, ResolvedMembership, resolve_lists
from adzeguard.core.charter.references import LOCAL_PREFIX, LocalName, RuleNames
from adzeguard.core.charter.rule import Response
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.estate.hosts import HostState, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import LOCAL_ACCOUNT_RIDS, LOCAL_GROUPS, local_group_name
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

    @cached_property
    def local_names(self) -> tuple[LocalName, ...]:
        """The names of accounts and groups of a host's own in its lists."""
        return tuple(dict.fromkeys(one for one in self.listed if isinstance(one, LocalName)))

    def unknown_on(self, state: HostState) -> list[str]:
        """Return the names that a host does not know: with one of them missing, a list would mean something else."""
        unknown = [name.name for name in self.local_names if name.on(state) is None]
        if isinstance(self.local_group, LocalName) and self.group_on(state) is None:
            unknown.insert(0, self.local_group.name)
        return unknown

    @property
    def group_label(self) -> str:
        """The group as people write it."""
        if isinstance(self.local_group, LocalName):
            return self.local_group.name
        return local_group_name(self.local_group) or str(self.local_group)


def resolve_local_group_rule(
    rule: LocalGroupRule, names: RuleNames, response: Response
) -> Iterator[ResolvedLocalGroupRule]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    lists = resolve_lists(names, rule, local_allowed=True)
    local_group = _local_group(rule.local_group, names)
    scope = resolve_scope(names, rule.hosts)
    if local_group is None or names.failed:
        return
    resolved = ResolvedLocalGroupRule(rule, response, **lists, local_group=local_group, scope=scope)
    _refuse_names_nobody_knows(names, resolved)
    if not names.failed:
        yield resolved


def _refuse_names_nobody_knows(names: RuleNames, rule: ResolvedLocalGroupRule) -> None:
    """A local name that no host in the scope knows is a mistake in the rule; what some do not know is told there."""
    asked = [name.name for name in rule.local_names if name.name.casefold() not in LOCAL_ACCOUNT_RIDS]
    asked += [rule.local_group.name] if isinstance(rule.local_group, LocalName) else []
    if not asked:
        return
    scopes = HostScopes([rule])
    states = [host.state for host in names.estate.hosts if host.state is not None and scopes.on(host)]
    known = {name for state in states for name in _own_names(state)}
    for name in asked if states else ():
        if name.casefold() not in known:
            near = nearest(name.casefold(), known | LOCAL_ACCOUNT_RIDS.keys(), 0.6)
            hint = rf", did you mean 'local\{near}'?" if near else ""
            message = rf"no host where the rule holds has 'local\{name}'{hint}"
            names.fail(_place_of(rule, name), name, message)


def _own_names(state: HostState) -> Iterator[str]:
    yield from (account.name.casefold() for account in state.accounts)
    yield from (group.name.casefold() for group in state.groups)


def _place_of(rule: ResolvedLocalGroupRule, name: str) -> tuple[str | int, ...]:
    for key in ("only", "include", "exclude", "reach_only"):
        for at, written in enumerate(getattr(rule.rule, key) or ()):
            if written.casefold() == f"{LOCAL_PREFIX}{name}".casefold():
                return key.replace("_", "-"), at
    return ("local-group",)


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
