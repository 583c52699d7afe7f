"""Every group and host held against the charter: what is demanded there, and where it deviates."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from adzeguard.core.charter.demands import Demand, Deviation, Keys, demand_of, deviations
from adzeguard.core.charter.membership_rules import ResolvedRule
from adzeguard.core.charter.references import LocalName, MemberKey, Reference, member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import NAMED, Holding, HostScopes
from adzeguard.core.estate import Estate, Host, HostState, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.names import local_group_label, local_principal, on_host
from adzeguard.core.objects import outsider
from adzeguard.core.principal import Kind, Principal


@dataclass(frozen=True)
class Review:
    """One group, of the directory or of a host, held against what is demanded of it."""

    group: Principal
    host: Host | None
    demand: Demand
    deviations: tuple[Deviation, ...]
    members: dict[MemberKey, Principal]
    """The members that a deviation names, and those that are missing."""
    primary: frozenset[MemberKey] = frozenset()
    """Those of them that are in the group only because it is their primary group."""

    @property
    def name(self) -> str:
        """The group's qualified name."""
        return self.group.qualified_name


def review_groups(estate: Estate, charter: ResolvedCharter) -> Iterator[Review]:
    """Hold each directory group that a rule names against all rules that name it."""
    by_group: dict[int, list[Holding]] = {}
    groups: dict[int, Principal] = {}
    for rule in charter.group_rules:
        if rule.group is not None:
            groups[rule.group.id] = rule.group
            by_group.setdefault(rule.group.id, []).append(Holding(rule, NAMED, "the group by name"))
    for group_id, holdings in by_group.items():
        yield review_group(estate, charter, groups[group_id], holdings)


def review_group(estate: Estate, charter: ResolvedCharter, group: Principal, holdings: list[Holding]) -> Review:
    """Hold one directory group against the rules about it. Its primary members count as its direct members."""
    listed = estate.catalogue.principals(estate.graph.direct_members(group.id).tolist()).values()
    primary = estate.catalogue.principals(estate.graph.primary_members(group.id).tolist()).values()
    members = {member_key(p): p for p in (*listed, *primary)}
    demand = demand_of(holdings, directory_keys)
    found = deviations(
        demand, members.keys(), _keeper_keys(charter), {k for k, p in members.items() if p.kind == Kind.GROUP}
    )
    members |= {member_key(p): p for h in holdings for p in _principals(h.rule)}
    primary_only = {member_key(p) for p in primary} - {member_key(p) for p in listed}
    return Review(group, None, demand, tuple(found), members, frozenset(primary_only))


def _principals(rule: ResolvedRule) -> Iterator[Principal]:
    for reference in (*(rule.only or ()), *rule.include):
        if isinstance(reference, Principal):
            yield reference


def host_keys(state: HostState) -> Keys:
    """Return how references become what the members of one host's groups are compared by."""

    def keys(references: Iterable[Reference]) -> set[MemberKey]:
        found = {r.on(state) if isinstance(r, LocalName) else member_key(r) for r in references}
        return {key for key in found if key is not None}

    return keys


def directory_keys(references: Iterable[Reference]) -> set[MemberKey]:
    """Return what the members of directory groups are compared by."""
    return {member_key(reference) for reference in references if isinstance(reference, Principal)}


def _keeper_keys(charter: ResolvedCharter) -> set[MemberKey]:
    return {member_key(keeper) for keeper in charter.keepers}


def review_hosts(estate: Estate, charter: ResolvedCharter) -> Iterator[Review]:
    """Hold the local groups of each host against the rules that hold there."""
    scopes = HostScopes(charter.host_rules)
    for host in estate.hosts:
        if host.state is not None:
            yield from review_host(estate, charter, host, scopes.holding_on(host))


def review_host(estate: Estate, charter: ResolvedCharter, host: Host, holdings: list[Holding]) -> Iterator[Review]:
    """Hold one host against the rules that hold there, one review for each local group that they name."""
    state = host.state
    if state is None:
        return
    by_group: dict[Sid, list[Holding]] = {}
    for holding in holdings:
        group = local_group_of(state, holding.rule)
        if group is not None:
            by_group.setdefault(group.sid, []).append(holding)
    for sid, rules in by_group.items():
        group = state.group(sid)
        if group is not None:
            yield _review_local_group(estate, charter, host, group, rules)


def local_group_of(state: HostState, rule: ResolvedRule) -> LocalGroup | None:
    """Return the host's group that a rule is about."""
    if isinstance(rule.local_group, LocalName):
        return state.group_named(rule.local_group.name)
    return state.group(rule.local_group) if rule.local_group else None


def _review_local_group(
    estate: Estate, charter: ResolvedCharter, host: Host, group: LocalGroup, holdings: list[Holding]
) -> Review:
    state = host.state
    assert state is not None  # noqa: S101 - asked only of hosts that were read

    demand = demand_of(holdings, host_keys(state))
    groups = _groups_among(estate, group.members) if demand.refuses_nested else set()
    found = deviations(demand, group.members, _keeper_keys(charter), groups)
    named = on_host(estate, state, host.name, {Sid(d.member) for d in found}) if found else {}
    label = local_group_label(group.name, group.sid)
    subject = local_principal(host.name, label, group.sid, Kind.LOCAL_GROUP)
    return Review(subject, host, demand, tuple(found), {str(sid): p for sid, p in named.items()})


def _groups_among(estate: Estate, members: Iterable[Sid]) -> set[MemberKey]:
    ids = estate.ids_of_sids(members)
    return {sid for sid in members if (i := ids[sid]) is not None and estate.graph.position_of(i) is not None}


def named(review: Review, key: MemberKey) -> Principal:
    """Return the member a deviation is about; a missing one that stands nowhere is shown by its SID."""
    return review.members.get(key) or outsider(Sid(key))
