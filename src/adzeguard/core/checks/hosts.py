"""What is wrong with a host whatever the charter says."""

from collections.abc import Iterable, Iterator

import numpy as np

from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.estate import Estate, Host
from adzeguard.core.identity import Sid
from adzeguard.core.keepers import KeepersAtWork
from adzeguard.core.names import on_host
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.wellknown import ADMINISTRATORS, EVERYONE_LIKE


def check_hosts(estate: Estate, keepers: Iterable[Principal]) -> Iterator[Finding]:
    """Each thing that is wrong with a host's administrators, and each host that could not be read."""
    at_work = KeepersAtWork(estate, list(keepers))
    twins = _NameTwins(estate)
    for host, members in zip(estate.hosts, estate.host_administrators, strict=True):
        yield from _unread(host)
        if host.state is not None:
            yield from _administrators(estate, host, members, at_work)
            yield from twins.on(host)


def _unread(host: Host) -> Iterator[Finding]:
    if host.trouble:
        known = "what is shown of it is from the last time" if host.state else "nothing is known of it"
        message = f"could not be read: {host.trouble}; {known}"
        yield Finding("host-unread", Severity.LOW, host.name, "", message, evidence={"trouble": host.trouble})


def _administrators(estate: Estate, host: Host, members: frozenset[Sid], at_work: KeepersAtWork) -> Iterator[Finding]:
    state = host.state
    if state is None or state.group(ADMINISTRATORS) is None:
        return
    subject = rf"{host.name}\administrators"
    if not at_work.among(members):
        message = "no keeper can get in: nobody of the directory's own administrators is inside with an enabled account"
        yield Finding("keeper-missing", Severity.HIGH, subject, "", message, evidence={"members": sorted(members)})
    odd = {sid for sid in members if sid in EVERYONE_LIKE} | {
        sid for sid in members if estate.id_of_sid(sid) is None and not _is_own(state.machine_sid, sid)
    }
    yield from _distribution_groups(estate, subject, members)
    for sid, member in on_host(estate, state, host.name, odd).items():
        if member.kind == Kind.UNRESOLVED:
            message = f"{sid} resolves to nothing: an account that was deleted, or one of another domain"
            yield Finding("dangling-member", Severity.MEDIUM, subject, sid, message, evidence={"member_sid": sid})
        elif sid in EVERYONE_LIKE:
            message = f"{member.qualified_name} is inside, which is practically everybody"
            yield Finding(
                "everyone-inside",
                Severity.CRITICAL,
                subject,
                member.qualified_name,
                message,
                evidence={"member_sid": sid},
            )


def _distribution_groups(estate: Estate, subject: str, members: Iterable[Sid]) -> Iterator[Finding]:
    ids = estate.ids_of_sids(members)
    graph = estate.graph
    for sid in members:
        group = ids[sid]
        if group is not None and graph.position_of(group) is not None and not graph.grants_access(group):
            name = estate.principal(group).qualified_name
            message = (
                f"{name} is a distribution group: it gives its members nothing here until it is made a security group"
            )
            yield Finding("distribution-group", Severity.MEDIUM, subject, name, message, evidence={"member_sid": sid})


def _is_own(machine_sid: Sid, sid: Sid) -> bool:
    return sid.authority == machine_sid


class _NameTwins:
    """Finds local groups that bear the name of a directory group: people pick the wrong one of the two."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._known: dict[str, Principal | None] = {}

    def on(self, host: Host) -> Iterator[Finding]:
        for group in host.state.groups if host.state else ():
            # The built-in groups bear the same names on every host and in the directory; that is no accident.
            if group.sid.startswith("S-1-5-32-"):
                continue
            twin = self._twin(group.name)
            if twin is not None:
                message = (
                    f"a local group is called like the directory group {twin.qualified_name}; they are not the same"
                )
                evidence = {"local_sid": group.sid, "directory_sid": twin.sid}
                yield Finding(
                    "name-twin",
                    Severity.MEDIUM,
                    rf"{host.name}\{group.name}",
                    twin.qualified_name,
                    message,
                    evidence=evidence,
                )

    def _twin(self, name: str) -> Principal | None:
        folded = name.casefold()
        if folded not in self._known:
            found = self._estate.catalogue.principals(self._estate.catalogue.by_name(name)).values()
            self._known[folded] = next((p for p in found if p.kind == Kind.GROUP), None)
        return self._known[folded]


def too_wide(estate: Estate, fewest_users: int = 10) -> Iterator[Finding]:
    """Groups of more than half of all users that administer hosts."""
    users = estate.catalogue.of_kind(Kind.USER)
    counts: dict[int, int] = {}
    ids = estate.ids_of_sids({sid for members in estate.host_administrators for sid in members})
    for members in estate.host_administrators:
        for sid in members:
            found = ids[sid]
            if found is not None and estate.graph.position_of(found) is not None:
                counts[found] = counts.get(found, 0) + 1
    for group, count in counts.items():
        people = estate.graph.expand(group).people
        if len(users) < fewest_users or len(people) * 2 <= len(users) or not estate.graph.grants_access(group):
            continue
        inside = int(np.isin(people, users).sum())
        if inside * 2 > len(users):
            principal = estate.principal(group)
            message = f"{inside} of {len(users)} users are inside, and it administers {count} host{'s' * (count != 1)}"
            yield Finding(
                "wide-administrators",
                Severity.CRITICAL,
                principal.qualified_name,
                "",
                message,
                evidence={"hosts": count},
            )
