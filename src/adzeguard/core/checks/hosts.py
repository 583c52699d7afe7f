"""What is wrong with a host regardless of the charter."""

from collections.abc import Hashable, Iterable, Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import Any, Final

import numpy as np

from adzeguard.core.access.keepers import KeepersAtWork
from adzeguard.core.access.members import groups_of_everyone
from adzeguard.core.charter.host_scope import on_hosts
from adzeguard.core.charter.logon_rule import ResolvedLogonRule
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import FoundOnce, Host, HostState, is_kept_by_itself
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named, local_group_named, on_host
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.estate.rows import NEVER
from adzeguard.core.identity import Sid
from adzeguard.core.review.closing import ClosingRules
from adzeguard.core.wellknown import ADMINISTRATORS, BUILTIN_AUTHORITY, EVERYONE_LIKE
from adzeguard.core.wording import counted_noun

_FEWEST_USERS = 10
"""In a smaller directory half of all users is nobody in particular."""


def check_hosts(looked_at: CheckInput) -> Iterator[Finding]:
    """Each thing that is wrong with a host's administrators, and each host that could not be read."""
    estate = looked_at.estate
    at_work = KeepersAtWork(estate, list(looked_at.charter.keepers), looked_at.moment)
    twins, remarkable = _NameTwins(estate), _Remarkable(estate)
    in_order: set[Hashable] = set()
    beside: FoundOnce[Finding] = FoundOnce()
    for host in estate.hosts:
        if host.trouble:
            yield _unread(host)
        if host.state is None:
            continue
        # Thousands of hosts let in the same few of the directory; how a host numbers its own accounts is no matter.
        alike = host.state.alike
        known: Hashable = id(alike)
        if alike is None or known not in in_order:
            members = host.administrators
            known = _known_elsewhere(estate, host.state, members) if alike is None else known
        if known not in in_order:
            findings = list(_administrators(estate, host, host.state, members, at_work, remarkable))
            if not findings and host.state.group(ADMINISTRATORS) is not None:
                in_order.add(known)
            yield from findings
        yield from beside.on(host.state, partial(_beside_administrators, estate, host, host.state, twins, remarkable))


def closed_without_rule(looked_at: CheckInput) -> Iterator[Finding]:
    """Each thing that closes a host and that no rule wants, where the charter has rules about such things."""
    rules = ClosingRules(looked_at.charter)
    for host in looked_at.estate.hosts if rules.are_any else ():
        for one in rules.on(looked_at.estate, host):
            if one.rule is None:
                said = f"it {one.in_words()}, and no rule asks for that"
                evidence = {"setting": one.setting.put_in_by.model_fields["kind"].default}
                yield Finding("closed-without-rule", host_named(host), said, host=host_named(host), evidence=evidence)


_UNNAMED: Final = (Kind.UNRESOLVED, Kind.FOREIGN)


class _Remarkable:
    """Who makes a check look twice, of all that stand in local groups: most hosts have none of them."""

    def __init__(self, estate: Estate) -> None:
        # Hosts that are alike differ in their own accounts alone, which are known there.
        states = [some[0].state for some in estate.alike_hosts if some[0].state is not None]
        members = {
            sid for state in states for group in state.groups for sid in group.members if not _is_own(sid, state)
        }
        ids, graph = estate.ids_of_sids(members), estate.graph
        unknown = estate.who_are(sid for sid in members if ids[sid] is None)
        unresolved = {sid for sid in members if ids[sid] is None and unknown[sid].kind == Kind.UNRESOLVED}
        placeholders = estate.catalogue.principals(i for sid in members if (i := ids[sid]) is not None).values()
        unresolved |= {one.sid for one in placeholders if one.sid and estate.resolves_to_nothing(one)}
        self.unresolved = frozenset(unresolved | set(filter(estate.is_of_another_domain, members)))
        groups = {sid: i for sid in members if (i := ids[sid]) is not None and graph.position_of(i) is not None}
        self.distribution_groups = frozenset(sid for sid, group in groups.items() if not graph.grants_access(group))
        self.groups_of_everyone = groups_of_everyone(estate)


def _is_own(sid: Sid, state: HostState) -> bool:
    return sid.authority == state.machine_sid


def _beside_administrators(
    estate: Estate, host: Host, state: HostState, twins: "_NameTwins", remarkable: _Remarkable
) -> Iterator[Finding]:
    yield from twins.on(host, state)
    yield from _strangers(estate, host, state, remarkable)


def _strangers(estate: Estate, host: Host, state: HostState, remarkable: _Remarkable) -> Iterator[Finding]:
    """Yield the SIDs that resolve to nothing in the other local groups of a host."""
    for group in state.groups:
        odd = {sid for sid in group.members & remarkable.unresolved if not _is_own(sid, state)}
        if group.sid == ADMINISTRATORS or not odd:
            continue
        for sid, known in on_host(estate, state, host.name, odd).items():
            if known.kind in _UNNAMED:
                yield _unnamed(estate, local_group_named(host, group.name, group.sid), known, host, sid)


def _unnamed(estate: Estate, subject: Named, member: Principal, host: Host, sid: Sid) -> Finding:
    """Return the finding of a member without a name: one that was deleted, or one of another domain."""
    about: dict[str, Any] = {"member": Named.of(member), "host": host_named(host), "evidence": {"member_sid": sid}}
    if estate.is_of_another_domain(sid):
        return Finding("foreign-member", subject, f"{sid} is inside, {estate.domain_in_words(sid)}", **about)
    return Finding("dangling-member", subject, f"{sid} resolves to nothing: an account that was deleted", **about)


def _known_elsewhere(estate: Estate, state: HostState, members: frozenset[Sid]) -> Hashable:
    """Return what of these members matters on any host, and whether the host has a way in of its own beside them."""
    ids, own = estate.ids_of_sids(members), f"{state.machine_sid}-"
    elsewhere = frozenset(sid for sid in members if ids[sid] is not None or not sid.startswith(own))
    return elsewhere, is_kept_by_itself(state, members)


def without_source(looked_at: CheckInput) -> Iterator[Finding]:
    """Each computer that no source of hosts takes: nobody knows who administers it."""
    estate = looked_at.estate
    if not any(host.source for host in estate.hosts):
        return  # a workspace without hosts at all looks after the directory alone
    for host in estate.hosts:
        if not host.source and not host.is_of_directory:
            message = "no source of hosts takes it, so nothing is known of it"
            yield Finding("host-without-source", host_named(host), message, evidence={"dn": host.dn})


def _unread(host: Host) -> Finding:
    known = "what is shown of it is from the last time" if host.state else "nothing is known of it"
    message = f"could not be read: {host.trouble}; {known}"
    return Finding("host-unread", host_named(host), message, evidence={"trouble": host.trouble})


def _administrators(
    estate: Estate,
    host: Host,
    state: HostState,
    members: frozenset[Sid],
    at_work: KeepersAtWork,
    remarkable: _Remarkable,
) -> Iterator[Finding]:
    if state.group(ADMINISTRATORS) is None:
        return
    subject = local_group_named(host, "administrators", ADMINISTRATORS)
    if not at_work.among(members) and not is_kept_by_itself(state, members):
        message = "no keeper can get in: nobody of the directory's own administrators is inside with an enabled account"
        yield Finding("keeper-missing", subject, message, host=host_named(host), evidence={"members": sorted(members)})
    yield from _distribution_groups(estate, host, subject, sorted(members & remarkable.distribution_groups))
    through = members & remarkable.groups_of_everyone
    for sid, group in on_host(estate, state, host.name, through).items() if through else ():
        message = f"everybody is inside by {group.qualified_name}"
        more: dict[str, Any] = {"member": Named.of(group), "evidence": {"member_sid": sid}}
        yield Finding("everyone-inside", subject, message, host=host_named(host), **more)
    odd = {sid for sid in members & (EVERYONE_LIKE | remarkable.unresolved) if not _is_own(sid, state)}
    for sid, member in on_host(estate, state, host.name, odd).items() if odd else ():
        about: dict[str, Any] = {"member": Named.of(member), "host": host_named(host), "evidence": {"member_sid": sid}}
        if sid in EVERYONE_LIKE:
            message = f"{member.qualified_name} is inside, which is practically everybody"
            yield Finding("everyone-inside", subject, message, **about)
        elif member.kind in _UNNAMED:
            yield _unnamed(estate, subject, member, host, sid)


def _distribution_groups(estate: Estate, host: Host, subject: Named, members: Iterable[Sid]) -> Iterator[Finding]:
    for sid in members:
        member = estate.who_are((sid,))[sid]
        message = (
            f"{member.qualified_name} is a distribution group: "
            "it gives its members nothing here until it is made a security group"
        )
        about: dict[str, Any] = {"member": Named.of(member), "host": host_named(host), "evidence": {"member_sid": sid}}
        yield Finding("distribution-group", subject, message, **about)


class _NameTwins:
    """Finds local groups that bear the name of a directory group: people pick the wrong one of the two."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._known: dict[str, Principal | None] = {}

    def on(self, host: Host, state: HostState) -> Iterator[Finding]:
        for group in state.groups:
            # The built-in groups bear the same names on every host and in the directory; that is no accident.
            if group.sid.startswith(f"{BUILTIN_AUTHORITY}-"):
                continue
            twin = self._twin(group.name)
            if twin is not None:
                message = (
                    f"a local group is called like the directory group {twin.qualified_name}; they are not the same"
                )
                yield Finding(
                    "name-twin",
                    Named(rf"{host.name}\{group.name}", group.sid),
                    message,
                    member=Named.of(twin),
                    host=host_named(host),
                    evidence={"local_sid": group.sid, "directory_sid": twin.sid},
                )

    def _twin(self, name: str) -> Principal | None:
        folded = name.casefold()
        if folded not in self._known:
            namesakes = self._estate.catalogue.principals(self._estate.catalogue.by_name(name)).values()
            self._known[folded] = next((p for p in namesakes if p.kind == Kind.GROUP), None)
        return self._known[folded]


def too_wide(looked_at: CheckInput) -> Iterator[Finding]:
    """Groups of more than half of all users that administer hosts."""
    estate = looked_at.estate
    ids, graph = estate.ids_of_sids(estate.hosts_administered), estate.graph
    groups = {
        i: count
        for sid, count in estate.hosts_administered.items()
        if (i := ids[sid]) is not None and graph.grants_access(i)
    }
    users = estate.catalogue.count_of(Kind.USER)
    # Where all of them together are too few, none is looked at by itself: there may be thousands.
    if users < _FEWEST_USERS or len(graph.people_below(groups)) * 2 <= users:
        return
    for group, count in groups.items():
        people = graph.expand(group).people
        if len(people) * 2 <= users:
            continue
        inside = int(np.isin(people, estate.catalogue.of_kind(Kind.USER)).sum())
        if inside * 2 > users:
            principal = estate.principal(group)
            message = f"{inside} of {users} users are inside, and it administers {counted_noun(count, 'host')}"
            yield Finding("wide-administrators", Named.of(principal), message, evidence={"hosts": count})


def long_unread(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each host that has not answered for longer than it may."""
    estate = looked_at.estate
    for host in estate.hosts:
        last = looked_at.read_at.get(host.id)
        age = estate.taken_at - last if last is not None else timedelta()
        if last is not None and host.trouble and age > timedelta(days=looked_at.unread_days):
            message = f"it has not answered for {age.days} days, since {last:%Y-%m-%d}; what is known of it is as old"
            yield Finding("host-long-unread", host_named(host), message, evidence={"days": age.days})


def without_rule(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each host that is read and that no rule reaches, where there are rules about hosts at all."""
    rules = HostScopes([found for rule in looked_at.charter.rules if (found := on_hosts(rule)) is not None])
    for host in looked_at.estate.hosts if rules.has_rules else ():
        if host.source and not host.is_of_directory and not rules.on(host) and not rules.excepted_on(host):
            message = "no rule of the charter is about it"
            yield Finding("host-without-rule", host_named(host), message, evidence={"dn": host.dn})


_A_DAY: Final = 86_400


def waiting_hosts(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each host below an OU whose rule refuses logon with a notice, and that was made longer ago than allowed."""
    estate = looked_at.estate
    holding = [
        rule for rule in looked_at.charter.of(ResolvedLogonRule) if rule.refused and rule.notice and rule.scope.under
    ]
    scopes = HostScopes(holding)
    waiting = [host for host in estate.hosts if scopes.has_rules and scopes.on(host)]
    accounts = estate.catalogue.principals(host.id for host in waiting)
    for host in waiting:
        made = accounts[host.id].details.get("created", NEVER) if host.id in accounts else NEVER
        days = (estate.taken_at.timestamp() - made) // _A_DAY if made != NEVER else 0
        if days > looked_at.waiting_days:
            since = f"{datetime.fromtimestamp(made, UTC):%Y-%m-%d}"
            rule = scopes.on(host)[0].rule.rule
            yield Finding(
                "waiting-host",
                host_named(host),
                f"it waits for its place since {since}, {int(days)} days",
                host=host_named(host),
                rule=rule.id,
                owner=rule.owner,
                evidence={"days": int(days), "since": since},
            )
