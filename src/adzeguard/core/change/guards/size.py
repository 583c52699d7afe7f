"""How large a proposal may be before the operator must name its size."""

from collections import Counter
from collections.abc import Iterator

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.impact import hosts_opened
from adzeguard.core.change.kinds.add_member import RemoveMember
from adzeguard.core.change.kinds.create_object import DeleteObject
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.estate.estate import Estate
from adzeguard.core.wording import counted_noun

_SMALL_GROUP = 8


def oversizes(case: Case) -> Iterator[str]:
    """Yield a reason for each limit that the proposal is past and whose number the operator has not named.

    A number that was named and is not the true one is refused below the limit too: somebody means something else.
    """
    limits, named = case.limits, case.named
    deletions = sum(isinstance(change, DeleteObject) for change in case.changes)
    if deletions > limits.deletions and named.deletions is None:
        how = f"Give --deletions {deletions} if that is what you mean"
        yield f"the proposal deletes {counted_noun(deletions, 'object')}. {how}"
    yield from _removals(case)
    touched = {change.host_name.casefold() for change in case.changes if change.host_name}
    hosts = len(touched | hosts_opened(case.estate, case.after))
    if hosts > limits.hosts and named.hosts is None:
        yield (
            f"the proposal touches {counted_noun(hosts, 'host')}{_by_nesting(hosts - len(touched))}, "
            f"more than {limits.hosts}. Give --touching {hosts} to enact if that is what you mean"
        )
    removals = len(_taking_out(case))
    for option, told, true in (
        ("--deletions", named.deletions, deletions),
        ("--removals", named.removals, removals),
        ("--touching", named.hosts, hosts),
    ):
        if told is not None and told != true:
            so_many = f"you named {option} {told}, and the proposal comes to {true}"
            yield f"{so_many}. Give {option} {true} to enact if that is what you mean"


def _by_nesting(count: int) -> str:
    return f", {count} of them by directory groups that administer them" if count else ""


def _taking_out(case: Case) -> list[MembershipChange]:
    return [c for c in case.changes if isinstance(c, MembershipChange) and c.removes_member]


def _removals(case: Case) -> Iterator[str]:
    removals = _taking_out(case)
    if case.named.removals is not None:
        return
    how = f"Give --removals {len(removals)} to enact if that is what you mean"
    if len(removals) > case.limits.removals:
        yield f"the proposal takes out {counted_noun(len(removals), 'member')}, more than {case.limits.removals}. {how}"
    in_directory = [change for change in removals if isinstance(change, RemoveMember) and _is_inside(case, change)]
    for group, count in Counter(change.group.sid for change in in_directory).items():
        group_id = case.estate.id_of_sid(group)
        members = 0 if group_id is None else _direct_count(case.estate, group_id)
        before = case.taken_out.get(group, 0)
        counts = members + before >= _SMALL_GROUP or group in case.privileged
        if counts and count + before > (members + before) * case.limits.share:
            first = next(change for change in in_directory if change.group.sid == group)
            already = f", after {before} within a day" if before else ""
            yield f"{count} of the {members} members of {first.group.name} are taken out ({first.rule}){already}. {how}"


def _is_inside(case: Case, change: RemoveMember) -> bool:
    """Somebody else may have taken them out since the proposal was made; then nobody is taken out by it."""
    group = case.estate.id_of_sid(change.group.sid)
    member = case.estate.id_of_sid(change.member.sid) if change.member.sid else None
    if group is None or member is None:
        return group is not None
    graph = case.estate.graph
    return member in graph.direct_members(group) or member in graph.primary_members(group)


def _direct_count(estate: Estate, group: int) -> int:
    return len(estate.graph.direct_members(group)) + len(estate.graph.primary_members(group))
