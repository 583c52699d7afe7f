"""Local groups of hosts held against the rules that hold there."""

from collections.abc import Hashable, Iterable, Iterator, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Any, Final

from adzeguard.core.access.members import members_on_host
from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.local_group_rule import LocalGroupRule, ResolvedLocalGroupRule, resolve_local_group_rule
from adzeguard.core.charter.references import MemberKey
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import HostScopes, ScopedRule
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState, LocalGroup, host_administrator
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named, local_group_named, on_host
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.review.demands import Demands, Deviation
from adzeguard.core.review.member_demands import MemberDemands, demands_of, followed_on, host_keys
from adzeguard.core.review.members import (
    NEVER_MENDED,
    conflict_corrections,
    deviation_in_words,
    member_correction,
    unlisted_reach,
)
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import ADMINISTRATORS


@dataclass(frozen=True)
class _Held:
    """One local group held against what is demanded of it."""

    host: Host
    state: HostState
    group: LocalGroup
    demand: Demands
    deviations: tuple[Deviation, ...]
    like: "_Held | None" = None
    """The first of its shape, if that is another."""

    @property
    def has_only_others(self) -> bool:
        """Whether nobody who deviates is of the host itself, whose names and numbers are its own."""
        own = f"{self.state.machine_sid}-"
        return not any(d.member.startswith(own) for d in self.deviations) and not self.group.sid.startswith(own)

    @cached_property
    def named_host(self) -> Named:
        return host_named(self.host)

    @cached_property
    def named(self) -> Named:
        return local_group_named(self.host, self.group.name, self.group.sid)


def review_local_groups(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield what deviates in the local groups of each host, and the hosts that a rule excepts by name."""
    estate, demands = rights.estate, MemberDemands(charter)
    ruled = list(_ruled(estate, demands))
    held = list(_not_in_order(estate, demands, ruled))
    _look_up_together(estate, held)
    yield from _names_unknown(demands, ruled)
    of_shape: dict[int, list[Correction]] = {}
    for one in held:
        yield from conflict_corrections(rights.estate, one.demand, one.named, one.named_host)
        if one.like is not None and id(one.like) in of_shape:
            yield from (_moved(correction, one) for correction in of_shape[id(one.like)])
            continue
        found = list(_corrections(estate, one))
        if one.has_only_others:
            of_shape[id(one.like or one)] = found
        yield from found
    yield from _reaching(estate, charter)
    yield from _excepted(estate, demands)


@dataclass(frozen=True, slots=True)
class _Ruled:
    """A host about whose local groups there are rules, and its shape."""

    host: Host
    state: HostState
    rules: Sequence[ScopedRule[ResolvedLocalGroupRule]]
    shape: Hashable


def _ruled(estate: Estate, demands: MemberDemands) -> Iterator[_Ruled]:
    for host in estate.hosts:
        state = host.state
        rules = demands.scopes.on(host) if state is not None else ()
        if state is not None and rules:
            yield _Ruled(host, state, rules, shape(state, rules))


def _not_in_order(estate: Estate, demands: MemberDemands, ruled: Iterable[_Ruled]) -> Iterator[_Held]:
    known: dict[Hashable, list[_Held]] = {}
    for one in ruled:
        if one.shape in known:
            yield from (_alike(held, one.host, one.state) for held in known[one.shape])
            continue
        known[one.shape] = [
            held
            for sid, demand in demands_of(one.state, followed_on(one.state, one.rules), demands.lists)
            for held in _held(estate, demands, one.host, one.state, sid, demand)
            if held.deviations or held.demand.conflicts
        ]
        yield from known[one.shape]


def _alike(held: _Held, host: Host, state: HostState) -> _Held:
    """Return the same of a host that differs in nothing but the numbers of its own accounts and groups."""
    there, here = f"{held.state.machine_sid}-", f"{state.machine_sid}-"

    def moved(sid: str) -> Sid:
        return Sid(here + sid[len(there) :] if sid.startswith(there) else sid)

    group = state.group(moved(held.group.sid)) or held.group
    deviations = tuple(
        d if not d.member.startswith(there) else replace(d, member=moved(d.member)) for d in held.deviations
    )
    return _Held(host, state, group, held.demand, deviations, held)


def _held(
    estate: Estate, demands: MemberDemands, host: Host, state: HostState, sid: Sid, demand: Demands
) -> Iterator[_Held]:
    group = state.group(sid)
    if group is not None:
        groups = _groups_among(estate, group.members) if demand.refuses_nested else set()
        keepers = demands.keepers | {host_administrator(state)}
        yield _Held(host, state, group, demand, tuple(demand.deviations(group.members, keepers, groups)))


def _names_unknown(demands: MemberDemands, ruled: Iterable[_Ruled]) -> Iterator[Correction]:
    """Yield each host that does not know a name of its own that a rule uses: the rule is not followed there."""
    all_known: set[Hashable] = set()
    for one in ruled if demands.uses_local_names else ():
        if one.shape in all_known:
            continue
        unknown = [(scoped, name) for scoped in one.rules for name in scoped.rule.unknown_on(one.state)]
        if not unknown:
            all_known.add(one.shape)
        host = one.host
        for scoped, name in unknown:
            said = rf"the host has no 'local\{name}', so rule {scoped.rule.rule.id} is not followed there"
            yield correction_of(
                scoped.rule,
                "local-name-unknown",
                host_named(host),
                said,
                response="tell",
                host=host_named(host),
                left_out=said,
                evidence={"name": name, "place": scoped.rule.rule.place.at()},
            )


def _groups_among(estate: Estate, members: Iterable[Sid]) -> set[MemberKey]:
    ids = estate.ids_of_sids(members)
    return {sid for sid in members if (i := ids[sid]) is not None and estate.graph.position_of(i) is not None}


def _look_up_together(estate: Estate, held: Iterable[_Held]) -> None:
    """Look up every member that deviates in one go: host by host it is one question to the store for each."""
    sids = {Sid(deviation.member) for one in held for deviation in one.deviations}
    ids = estate.ids_of_sids(sids)
    estate.catalogue.principals(i for sid in sids if (i := ids[sid]) is not None)


def _corrections(estate: Estate, held: _Held) -> Iterator[Correction]:
    members = on_host(estate, held.state, held.host.name, {Sid(d.member) for d in held.deviations})
    for deviation in held.deviations:
        member = members[Sid(deviation.member)]
        changes: tuple[Change, ...] = ()
        rule = deviation.because.rule.rule
        about: dict[str, Any] = {
            "host": held.host.name,
            "group": held.named,
            "member": Named.of(member),
            "rule": rule.id,
            "why": rule.why,
            "leaves": rule.leave,
        }
        if deviation.kind not in NEVER_MENDED:
            changes = (AddLocalMember(**about) if deviation.kind == "missing" else RemoveLocalMember(**about),)
        correction = member_correction(deviation, held.named, member, host=held.named_host, changes=changes)
        by = held.state.unlisted.get(Sid(deviation.member), "")
        if by and changes and held.group.sid == ADMINISTRATORS:
            correction = correction.without_changes(f"it is so by {by}, and is ended there")
        yield correction


def _moved(correction: Correction, to: _Held) -> Correction:
    """Return the same of a host of the same shape, where nobody of the host itself is named."""
    about = {"host": to.host.name, "group": to.named}
    changes = tuple(change.model_copy(update=about) for change in correction.changes)
    return Correction(
        correction.check,
        to.named,
        correction.message,
        correction.rule,
        correction.owner,
        correction.response,
        correction.place,
        correction.member,
        to.named_host,
        changes,
        correction.left_out,
        correction.stops_rule,
        correction.evidence,
    )


def _reaching(estate: Estate, charter: ResolvedCharter) -> Iterator[Correction]:
    scopes = HostScopes(rule for rule in charter.of(ResolvedLocalGroupRule) if rule.reach_only is not None)
    for host in estate.hosts if scopes.has_rules else ():
        for scoped in scopes.on(host):
            group = scoped.rule.group_on(host.state) if host.state else None
            if host.state is None or group is None:
                continue
            allowed = host_keys(host.state)(scoped.rule.reach_only or ())
            accesses = members_on_host(estate, host, group.sid)
            yield from unlisted_reach(
                scoped.rule, local_group_named(host, group.name, group.sid), allowed, accesses, host_named(host)
            )


def _excepted(estate: Estate, demands: MemberDemands) -> Iterator[Correction]:
    """Yield hosts that a rule excepts by name, with what it would find there: an exception must not be forgotten."""
    for host in estate.hosts:
        for scoped in demands.scopes.excepted_on(host):
            would = list(_would_deviate(estate, demands, host, scoped))
            yield correction_of(
                scoped.rule,
                "host-excepted",
                host_named(host),
                f"the host is excepted by name; otherwise: {'; '.join(would) or 'nothing would deviate'}",
                response="tell",
                host=host_named(host),
                evidence={"place": scoped.rule.rule.place.at("hosts", "except"), "would_deviate": would},
            )


def _would_deviate(
    estate: Estate, demands: MemberDemands, host: Host, scoped: ScopedRule[ResolvedLocalGroupRule]
) -> Iterator[str]:
    state = host.state
    if state is None:
        return
    for sid, demand in demands_of(state, [scoped]):
        for held in _held(estate, demands, host, state, sid, demand):
            members = on_host(estate, state, host.name, {Sid(d.member) for d in held.deviations})
            for deviation in held.deviations:
                if deviation.kind != "keeper":
                    yield deviation_in_words(deviation, members[Sid(deviation.member)])


def shape(state: HostState, rules: Sequence[ScopedRule[Any]]) -> Hashable:
    """Return a value that is equal for two hosts exactly when the same rules find the same members there.

    Twenty thousand hosts have a few hundred shapes: what was found in order on one is in order on all of its shape.
    A host's own accounts and groups are told by their RID, everything else by its SID.
    """
    own = f"{state.machine_sid}-"
    held = tuple((id(scoped.rule), scoped.distance) for scoped in rules)
    if state.alike is not None:
        return held, id(state.alike)

    def told(sid: Sid) -> str:
        return sid.removeprefix(own)

    return (
        held,
        tuple((account.name, told(account.sid)) for account in state.accounts),
        tuple((group.name, told(group.sid), frozenset(map(told, group.members))) for group in state.groups),
        frozenset((told(sid), by) for sid, by in state.unlisted.items()),
    )


LOCAL_GROUP: Final = RuleKind("local-group", LocalGroupRule, resolve_local_group_rule, review_local_groups)
