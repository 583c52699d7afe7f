"""Two moments of the same directory, held against each other."""

from collections.abc import Iterable, Iterator

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.names import local_group_label, on_host
from adzeguard.core.estate.principal import Principal
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Difference:
    """One thing that differs between two moments: of a membership, who gained or lost it, and whether it was direct.

    Of an object, a right or a policy link, `detail` says what; `member` is who has the right, or the policy.
    """

    subject: str
    change: str
    """"gained" or "lost"; of objects also "made", "gone", "moved", "renamed", "altered"; of links "linked"."""
    member: str
    kind: str
    direct: bool | None = None
    about: str = "membership"
    """"membership", "object", "policy", "policy-link" or "right"."""
    detail: str = ""
    subject_sid: str = ""
    member_sid: str = ""


def compare(before: Estate, after: Estate, hosts: Iterable[tuple[Host, Host]]) -> Iterator[Difference]:
    """Yield who gained and lost membership, effective as well as direct, of directory groups and of hosts' groups.

    `hosts` are those that differ, as they were and as they are.
    """
    yield from _groups(before, after)
    for old, new in hosts:
        if old.state is not None and new.state is not None and old.state != new.state:
            yield from _of_host(after, old, new)


def _groups(before: Estate, after: Estate) -> Iterator[Difference]:
    known_before, known_after = set(before.graph.group_ids.tolist()), set(after.graph.group_ids.tolist())
    touched = before.graph.differing_groups(after.graph)
    led_to = {*before.graph.containing_groups(touched).tolist(), *after.graph.containing_groups(touched).tolist()}
    names = _names(before, after, touched | led_to)
    for group in sorted(touched | led_to, key=lambda i: names[i].qualified_name.casefold()):
        was = _members(before, group) if group in known_before else {}
        now = _members(after, group) if group in known_after else {}
        changed = {m for m in was.keys() | now.keys() if was.get(m) != now.get(m)}
        members = _names(before, after, changed)
        for member in sorted(changed, key=lambda i: members[i].qualified_name.casefold()):
            yield from _of_member(names[group], members[member], was.get(member), now.get(member))


def _of_member(subject: Principal, member: Principal, was: bool | None, now: bool | None) -> Iterator[Difference]:
    """A member who goes on being inside in another way has lost the one and gained the other."""
    for change, held in (("lost", was), ("gained", now)):
        if held is not None:
            yield Difference(
                subject.qualified_name,
                change,
                member.qualified_name,
                member.label,
                held,
                subject_sid=subject.sid or "",
                member_sid=member.sid or "",
            )


def _members(estate: Estate, group: int) -> dict[int, bool]:
    """Return for each effective member whether the group holds it directly."""
    graph = estate.graph
    direct = {*graph.direct_members(group).tolist(), *graph.primary_members(group).tolist()}
    return {member: member in direct for member in {*graph.expand(group).members.tolist(), *direct}}


def _names(before: Estate, after: Estate, ids: set[int]) -> dict[int, Principal]:
    return {**before.catalogue.principals(ids), **after.catalogue.principals(ids)}


def _of_host(estate: Estate, old: Host, new: Host) -> Iterator[Difference]:
    assert old.state is not None  # noqa: S101 - the caller leaves unread hosts out
    assert new.state is not None  # noqa: S101
    groups = {group.sid: group for group in (*old.state.groups, *new.state.groups)}
    for sid, group in groups.items():
        held, holds = (state.group(sid) for state in (old.state, new.state))
        gone = (held.members if held else frozenset()) - (holds.members if holds else frozenset())
        come = (holds.members if holds else frozenset()) - (held.members if held else frozenset())
        named = on_host(estate, new.state, new.name, gone | come)
        subject = rf"{new.name}\{local_group_label(group.name, sid)}"
        for change, members in (("lost", gone), ("gained", come)):
            for member in sorted(members):
                yield Difference(
                    subject,
                    change,
                    named[member].qualified_name,
                    named[member].label,
                    direct=True,
                    subject_sid=sid,
                    member_sid=member,
                )
