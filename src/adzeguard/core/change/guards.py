"""What a plan must pass before it is applied."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from adzeguard.core.change.outlook import Outlook, outlook
from adzeguard.core.change.plan import Change, Verb, members_only, objects_only
from adzeguard.core.change.rights_guard import lost_rights
from adzeguard.core.charter.model import Charter
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import GuardError
from adzeguard.core.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.keepers import KeepersAtWork
from adzeguard.core.principal import Flag, Kind, Principal
from adzeguard.core.wellknown import ADMINISTRATORS, RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS

_HOSTS_NAMED = 5
_DONE = {Verb.DELETE: "deleted", Verb.MOVE: "moved"}
_SMALL_GROUP = 8


@dataclass(frozen=True, slots=True)
class Limits:
    """How large a plan may be before the operator must name its size."""

    removals: int = 50
    """Members taken out, of groups and of hosts together."""
    hosts: int = 200
    """Hosts touched."""
    share: float = 0.5
    """Part of a directory group that is taken out at once; small groups do not count."""
    deletions: int = 1
    """Objects deleted."""


@dataclass(frozen=True, slots=True)
class NamedSizes:
    """The sizes that the operator has named for this plan."""

    removals: int | None = None
    hosts: int | None = None
    deletions: int | None = None


def pass_guards(
    estate: Estate,
    changes: Sequence[Change],
    charter: ResolvedCharter,
    limits: Limits,
    named: NamedSizes,
    operator: Principal | None,
) -> None:
    """Return quietly, or raise `GuardError` with each reason why the changes must not be made."""
    refusals = [
        *critical_objects(estate, changes, charter.keepers),
        *lockouts(estate, changes, charter.keepers, charter.charter),
        *lost_ways_back(estate, changes, operator),
        *lost_rights(estate, changes, charter.keepers, operator),
        *oversizes(estate, changes, limits, named),
    ]
    if refusals:
        raise GuardError(refusals)


def critical_objects(estate: Estate, changes: Sequence[Change], keepers: Sequence[Principal]) -> Iterator[str]:
    """Yield a reason for each object to be deleted or moved that the directory itself needs, or that is a keeper."""
    kept = {keeper.id for keeper in keepers}
    for change in objects_only(changes):
        if change.verb not in (Verb.DELETE, Verb.MOVE):
            continue
        found = estate.id_of_sid(change.object.sid) if change.object.sid else estate.catalogue.by_dn(change.object.dn)
        if found is None:
            continue
        principal = estate.principal(found)
        if principal.flags & (Flag.CRITICAL | Flag.BUILTIN) or principal.kind == Kind.DOMAIN:
            name = principal.qualified_name
            yield f"{change.id}: {name} belongs to the directory itself and is never {_DONE[change.verb]}"
        elif found in kept and change.verb == Verb.DELETE:
            yield f"{change.id}: {principal.qualified_name} is a keeper. Name another in adzeguard.toml first"


def oversizes(estate: Estate, changes: Sequence[Change], limits: Limits, named: NamedSizes) -> Iterator[str]:
    """Yield a reason for each limit that the plan is past and whose number the operator has not named."""
    removals = [change for change in members_only(changes) if change.verb == Verb.REMOVE_MEMBER]
    deletions = sum(change.verb == Verb.DELETE for change in changes)
    if deletions > limits.deletions and named.deletions != deletions:
        yield f"the plan deletes {deletions} objects. Give --deletions {deletions} if that is what you mean"
    hosts = {change.host for change in changes if change.host}
    if named.removals != len(removals):
        how = f"Give --removals {len(removals)} to apply if that is what you mean"
        if len(removals) > limits.removals:
            yield f"the plan takes out {len(removals)} members, more than {limits.removals}. {how}"
        for group, count in Counter(change.group.sid for change in removals if change.host is None).items():
            group_id = estate.id_of_sid(group)
            standing = 0 if group_id is None else _direct_count(estate, group_id)
            if standing >= _SMALL_GROUP and count > standing * limits.share:
                first = next(change for change in removals if change.group.sid == group)
                yield f"{count} of the {standing} members of {first.group.name} are taken out ({first.rule}). {how}"
    if len(hosts) > limits.hosts and named.hosts != len(hosts):
        yield (
            f"the plan touches {len(hosts)} hosts, more than {limits.hosts}. "
            f"Give --hosts {len(hosts)} to apply if that is what you mean"
        )


def _direct_count(estate: Estate, group: int) -> int:
    return len(estate.graph.direct_members(group)) + len(estate.graph.primary_members(group))


def lost_ways_back(estate: Estate, changes: Sequence[Change], operator: Principal | None) -> Iterator[str]:
    """Yield a reason where the operator would take away their own way to undo the plan."""
    if operator is None or operator.id < 0 or not changes:
        return
    after = outlook(estate, changes)
    had = {operator.id, *estate.graph.effective_groups(operator.id).tolist()}
    has = {operator.id, *after.graph.effective_groups(operator.id).tolist()}
    way_out = "Leave yourself inside, or let somebody else apply it"
    for group in _controlling_groups(estate):
        if group in had and group not in has:
            name = estate.principal(group).qualified_name
            yield f"you ({operator.qualified_name}) would lose {name}, and with it the way to undo this. {way_out}"
    lost = [
        host.name
        for host, before, then in zip(estate.hosts, estate.host_administrators, after.administrators, strict=True)
        if _reaches(estate, before, had) and not _reaches(estate, then, has)
    ]
    if lost:
        yield f"you ({operator.qualified_name}) would no longer administer {_hosts_named(lost)}. {way_out}"


def _reaches(estate: Estate, members: frozenset[Sid], holds: set[int]) -> bool:
    ids = estate.ids_of_sids(members)
    return any(ids[sid] in holds for sid in members)


def _controlling_groups(estate: Estate) -> list[int]:
    """Ids of the groups that control the directory itself."""
    domain = estate.domain
    sids = [ADMINISTRATORS, domain.account(RID_DOMAIN_ADMINS), domain.account(RID_ENTERPRISE_ADMINS)]
    ids = estate.ids_of_sids(sids)
    return [found for sid in sids if (found := ids[sid]) is not None]


def lockouts(
    estate: Estate, changes: Sequence[Change], keepers: Sequence[Principal], charter: Charter
) -> Iterator[str]:
    """Yield a reason for each host and each group that controls the directory which would lose its last keeper.

    A keeper counts with a working path only: an enabled account that is effectively inside.
    """
    if not changes:
        return
    after = outlook(estate, changes)
    at_work = (KeepersAtWork(estate, keepers), KeepersAtWork(estate, keepers, after.graph))
    yield from _group_lockouts(estate, changes, at_work, charter)
    yield from _host_lockouts(estate, changes, after, at_work, charter)


def _group_lockouts(
    estate: Estate, changes: Sequence[Change], at_work: tuple[KeepersAtWork, KeepersAtWork], charter: Charter
) -> Iterator[str]:
    in_directory = _leading_out(changes)
    for group in _controlling_groups(estate):
        principal = estate.principal(group)
        removals = [change for change in members_only(in_directory) if change.group.sid == principal.sid]
        held, holds = (keepers.inside(frozenset({group})) for keepers in at_work)
        if not holds and (held or removals):
            yield _refusal(principal.qualified_name, removals or in_directory, charter)


def _host_lockouts(
    estate: Estate,
    changes: Sequence[Change],
    after: Outlook,
    at_work: tuple[KeepersAtWork, KeepersAtWork],
    charter: Charter,
) -> Iterator[str]:
    by_host: dict[str, list[Change]] = {}
    for change in members_only(changes):
        if change.host and change.group.sid == ADMINISTRATORS and change.verb == Verb.REMOVE_MEMBER:
            by_host.setdefault(change.host.casefold(), []).append(change)
    in_directory = _leading_out(changes)
    reasons: dict[tuple[str, ...], list[str]] = {}
    blame: dict[tuple[str, ...], list[Change]] = {}
    for host, before, then in zip(estate.hosts, estate.host_administrators, after.administrators, strict=True):
        removals: list[Change] = by_host.get(host.name.casefold(), [])
        if host.state is None or not (removals or after.changed_groups) or at_work[1].among(then):
            continue
        if removals or at_work[0].among(before):
            causes = removals or in_directory
            key = tuple(sorted({change.rule for change in causes}))
            reasons.setdefault(key, []).append(host.name)
            blame.setdefault(key, causes)
    for key, hosts in reasons.items():
        yield _refusal(("hosts " if len(hosts) > 1 else "host ") + _hosts_named(hosts), blame[key], charter)


def _leading_out(changes: Sequence[Change]) -> list[Change]:
    """The changes in the directory by which somebody can lose access."""
    return [c for c in changes if c.host is None and c.verb in (Verb.REMOVE_MEMBER, Verb.DELETE, Verb.SET)]


def _hosts_named(hosts: Sequence[str]) -> str:
    more = f" and {len(hosts) - _HOSTS_NAMED} more" if len(hosts) > _HOSTS_NAMED else ""
    return ", ".join(hosts[:_HOSTS_NAMED]) + more


def _refusal(subject: str, causes: Sequence[Change], charter: Charter) -> str:
    first = causes[0]
    rules = {rule.id: rule.place.at() for rule in charter.rules}
    more = f" and {len(causes) - 1} more" if len(causes) > 1 else ""
    lost = f"{subject} would be left without a keeper: {first.id}, {first.in_words()}{more}"
    mended = [f"{rule} ({rules[rule]})" for rule in sorted({c.rule for c in causes}) if rule in rules]
    if not mended:
        return f"{lost}. Put another keeper with an enabled account in first"
    return f"{lost}. Mend the rule {', '.join(mended)}: list a keeper with an enabled account"
