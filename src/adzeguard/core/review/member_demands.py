"""What all rules together demand of each group, computed once for whoever asks: the review, and withdrawal."""

from collections.abc import Iterable, Iterator

from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.references import LocalName, MemberKey, Reference, member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import NAMED, HostScopes, MemberRule, ScopedRule
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.demands import Demand, Keys, demand_of


class MemberDemands:
    """The demands of one charter."""

    def __init__(self, charter: ResolvedCharter) -> None:
        self._by_group: dict[int, list[MemberRule]] = {}
        self._groups: dict[int, Principal] = {}
        for rule in charter.of(ResolvedGroupRule):
            self._groups[rule.group.id] = rule.group
            self._by_group.setdefault(rule.group.id, []).append(ScopedRule(rule, NAMED, "the group by name"))
        self.scopes = HostScopes(charter.of(ResolvedLocalGroupRule))
        self.keepers = frozenset(member_key(keeper) for keeper in charter.keepers)

    def on_groups(self) -> Iterator[tuple[Principal, Demand]]:
        """Yield each directory group that a rule names, with what is demanded of it."""
        for group_id, group in self._groups.items():
            yield group, self.on_group(group_id)

    def on_group(self, group_id: int) -> Demand:
        """Return what is demanded of a directory group."""
        return demand_of(self._by_group.get(group_id, ()), directory_keys)

    def on_host(self, host: Host) -> Iterator[tuple[Sid, Demand]]:
        """Yield each local group of a host that a rule names, with what is demanded of it."""
        if host.state is not None:
            yield from demands_of(host.state, self.scopes.on(host))


def demands_of(state: HostState, rules: Iterable[ScopedRule[ResolvedLocalGroupRule]]) -> Iterator[tuple[Sid, Demand]]:
    """Yield what these rules demand of the local groups of one host."""
    by_group: dict[Sid, list[MemberRule]] = {}
    for scoped in rules:
        group = scoped.rule.group_on(state)
        if group is not None:
            by_group.setdefault(group.sid, []).append(scoped)
    keys = host_keys(state)
    for sid, of_group in by_group.items():
        yield sid, demand_of(of_group, keys)


def host_keys(state: HostState) -> Keys:
    """Return how references become what the members of one host's groups are compared by."""

    def keys(references: Iterable[Reference]) -> set[MemberKey]:
        known = {r.on(state) if isinstance(r, LocalName) else member_key(r) for r in references}
        return {key for key in known if key is not None}

    return keys


def directory_keys(references: Iterable[Reference]) -> set[MemberKey]:
    """Return what the members of directory groups are compared by."""
    return {member_key(reference) for reference in references if isinstance(reference, Principal)}
