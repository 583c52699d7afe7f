"""Every host and every group that controls the directory keeps a keeper with a working path."""

from collections.abc import Callable, Iterator, Sequence

from adzeguard.core.access.keepers import controlling_groups
from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.change.kinds.add_member import RemoveMember
from adzeguard.core.charter.charter import Charter
from adzeguard.core.estate.hosts import HostState, is_kept_by_itself
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.core.wording import some_of


def lockouts(case: Case) -> Iterator[str]:
    """Yield a reason for each host and each group that controls the directory which would lose its last keeper.

    A keeper counts with a working path only: an account at work that is effectively inside, and not for a time.
    """
    if case.changes:
        yield from _of_groups(case)
        yield from _of_hosts(case)


def _of_groups(case: Case) -> Iterator[str]:
    causes = _leading_out(case.changes)
    for group in controlling_groups(case.estate):
        principal = case.estate.principal(group)
        removals = [c for c in causes if isinstance(c, RemoveMember) and c.group.sid == principal.sid]
        had, has = (keepers.inside(frozenset({group})) for keepers in (case.keepers_before, case.keepers_after))
        if not has and (had or removals):
            yield _refusal(principal.qualified_name, removals or causes, case.charter.charter)


def _of_hosts(case: Case) -> Iterator[str]:
    by_host: dict[str, list[Change]] = {}
    for change in case.changes:
        if isinstance(change, RemoveLocalMember) and change.group.sid == ADMINISTRATORS:
            by_host.setdefault(change.host.casefold(), []).append(change)
    estate, after = case.estate, case.after
    alters = bool(after.changed_groups or after.gone or after.altered)
    if not (by_host or alters):
        return
    in_directory = _leading_out(case.changes)
    reasons: dict[tuple[str, ...], list[str]] = {}
    blame: dict[tuple[str, ...], Sequence[Change]] = {}
    had = case.before.administrators.held_by_any(case.keepers_before.leading)
    has = case.lasting.administrators.held_by_any(case.keepers_after.leading)
    for place, host in enumerate(estate.hosts):
        removals = by_host.get(host.name.casefold(), [])
        if host.state is None or not (removals or alters):
            continue
        if has(place) or is_kept_by_itself(host.state, case.lasting.administrators[place]):
            continue
        if removals or had(place):
            causes = removals or in_directory
            key = tuple(sorted({change.rule for change in causes}))
            reasons.setdefault(key, []).append(host.name)
            blame.setdefault(key, causes)
    for key, hosts in reasons.items():
        yield _refusal(f"host{'s' * (len(hosts) > 1)} {some_of(hosts)}", blame[key], case.charter.charter)


def keepers_stay(case: Case) -> Callable[[Change, HostState], str]:
    """Return what judges a change by the host as it stands right before it: somebody else may have been there."""
    for_a_time: dict[str, set[Sid]] = {}
    for end in case.ending:
        if isinstance(end, RemoveLocalMember) and end.group.sid == ADMINISTRATORS:
            for_a_time.setdefault(end.host.casefold(), set()).add(end.member_sid)

    def judge(change: Change, state: HostState) -> str:
        group = state.group(ADMINISTRATORS)
        if not isinstance(change, RemoveLocalMember) or change.group.sid != ADMINISTRATORS or group is None:
            return ""
        left = group.members - {change.member_sid} - for_a_time.get(change.host_name.casefold(), frozenset())
        if case.keepers_after.among(left) or is_kept_by_itself(state, left):
            return ""
        return f"as {change.host_name} stands now, it would be left without a keeper"

    return judge


def _leading_out(changes: Sequence[Change]) -> list[Change]:
    """The changes in the directory by which somebody can lose access."""
    return [change for change in changes if not change.host_name and change.takes_access_away]


def _refusal(subject: str, causes: Sequence[Change], charter: Charter) -> str:
    first = causes[0]
    rules = {rule.id: rule.place.at() for rule in charter.rules}
    more = f" and {len(causes) - 1} more" if len(causes) > 1 else ""
    lost = f"{subject} would be left without a keeper: {first.id}, {first.in_words()}{more}"
    mended = [f"{rule} ({rules[rule]})" for rule in sorted({c.rule for c in causes}) if rule in rules]
    if not mended:
        return f"{lost}. Put another keeper with an enabled account in first"
    return f"{lost}. Mend the rule {', '.join(mended)}: list a keeper with an enabled account"
