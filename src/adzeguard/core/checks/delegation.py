"""What is wrong with rights: grants nobody wrote down, grants to whom they should not be, and ways up."""

from collections.abc import Iterator, Sequence

from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.delegations import Delegation, Rights, is_person
from adzeguard.core.identity import Sid
from adzeguard.core.object_review import documented_entries
from adzeguard.core.places import short_dn
from adzeguard.core.principal import Flag, Kind, Principal
from adzeguard.core.reach import ReachFinder, Reaching, first_right, reaching
from adzeguard.core.rights.descriptor import Descriptor, is_readable, out_of_order
from adzeguard.core.wellknown import EVERYONE_LIKE, RID_DOMAIN_COMPUTERS, RID_DOMAIN_USERS

_NAMED = 100


def check_delegations(rights: Rights, charter: ResolvedCharter, privileged: Sequence[Principal]) -> Iterator[Finding]:
    """Run every check of rights."""
    documented = documented_entries(rights, charter)
    for delegation in rights.own_grants():
        yield from _of_grant(
            rights, delegation, written_down=documented.holds(delegation.over.dn, delegation.grant.entries)
        )
    yield from _damaged(rights)
    yield from _denials_too_late(rights)
    yield from _ways_up(rights, privileged)
    yield from _privileged_objects(rights, privileged)


def _of_grant(rights: Rights, delegation: Delegation, *, written_down: bool) -> Iterator[Finding]:
    holder, where = delegation.holder, delegation.where
    evidence = {
        "duty": delegation.grant.duty, "sentence": delegation.sentence, "holder_sid": str(delegation.grant.who),
        "entries": [entry.to_bytes().hex() for entry in delegation.grant.entries],
    }  # fmt: skip
    name = holder.qualified_name
    what = delegation.grant.duty or delegation.grant.words
    if holder.kind == Kind.UNRESOLVED:
        message = f"{delegation.sentence}, but it resolves to nothing"
        yield Finding("stale-grant", Severity.MEDIUM, where, f"{name} {what}", message, evidence=evidence)
        return
    if _is_everybody(rights, delegation.grant.who) and not delegation.grant.deny:
        message = f"{delegation.sentence}: that is everybody"
        yield Finding("grant-to-everybody", Severity.HIGH, where, f"{name} {what}", message, evidence=evidence)
    elif is_person(holder):
        message = f"{delegation.sentence}: a person, not a group"
        yield Finding("grant-to-person", Severity.LOW, where, f"{name} {what}", message, evidence=evidence)
    if not written_down:
        message = f"{delegation.sentence}; no rule says so"
        yield Finding("undocumented-grant", Severity.MEDIUM, where, f"{name} {what}", message, evidence=evidence)


def _is_everybody(rights: Rights, sid: Sid) -> bool:
    """Everybody, whoever has logged on, and the groups in which every account or computer is."""
    domain = rights.estate.domain
    return sid in EVERYONE_LIKE or sid in (domain.account(RID_DOMAIN_USERS), domain.account(RID_DOMAIN_COMPUTERS))


def _damaged(rights: Rights) -> Iterator[Finding]:
    for raw, _, ids in rights.estate.catalogue.descriptor_users():
        if not is_readable(raw):
            for principal in rights.estate.catalogue.principals(ids.tolist()).values():
                message = "its rights cannot be read: the security descriptor is damaged; nothing is known of them"
                yield Finding("damaged-descriptor", Severity.HIGH, short_dn(rights.estate, principal.dn), "", message)


def _denials_too_late(rights: Rights) -> Iterator[Finding]:
    for raw, _, ids in rights.estate.catalogue.descriptor_users():
        if not is_readable(raw):
            continue
        late = out_of_order(Descriptor.from_bytes(raw).entries)
        if not late:
            continue
        for principal in rights.estate.catalogue.principals(ids.tolist()).values():
            where = short_dn(rights.estate, principal.dn)
            holders = sorted({rights.holder(entry.sid).qualified_name for entry in late if entry.sid})
            message = f"{len(late)} denials stand behind what they should win over: {', '.join(holders)}"
            yield Finding("late-denial", Severity.MEDIUM, where, "", message)


def _ways_up(rights: Rights, privileged: Sequence[Principal]) -> Iterator[Finding]:
    """Each right by which people could make themselves members of a privileged group, however many have it.

    It is told once, where the way is shortest for the most powerful group.
    """
    finder = ReachFinder(rights)
    told: set[tuple[int, str, int]] = set()
    for group in privileged:
        by_right: dict[tuple[int, str, int], list[Reaching]] = {}
        for found in reaching(rights.estate, finder.graph(group.id), members_too=False):
            edge = first_right(found.chain)
            by_right.setdefault((edge.holder, edge.how, edge.stands_on), []).append(found)
        for key, people in by_right.items():
            if key not in told:
                told.add(key)
                yield _way_up(rights, group, key[0], people)


def _way_up(rights: Rights, group: Principal, holder: int, people: Sequence[Reaching]) -> Finding:
    nearest = people[0]
    name = nearest.principal.qualified_name if holder < 0 else rights.estate.principal(holder).qualified_name
    count = f"{len(people)} people" if len(people) > 1 else nearest.principal.qualified_name
    message = f"{count} could become a member: {nearest.words}"
    evidence = {"chain": nearest.words, "people": [r.principal.qualified_name for r in people[:_NAMED]]}
    return Finding("could-take-over", Severity.HIGH, group.qualified_name, name, message, evidence=evidence)


def _privileged_objects(rights: Rights, privileged: Sequence[Principal]) -> Iterator[Finding]:
    """Privileged accounts take no rights from above, and all others do."""
    catalogue, graph = rights.estate.catalogue, rights.estate.graph
    inside: set[int] = {group.id for group in privileged}
    for group in privileged:
        inside |= set(graph.expand(group.id).members.tolist())
    marked = catalogue.principals(catalogue.flagged(Flag.ADMIN_COUNT).tolist())
    closed = _closed_to_inheritance(rights)
    for i, principal in marked.items():
        if i not in inside and not principal.flags & Flag.CRITICAL:
            message = "it was privileged once, is no more, and still carries the mark (adminCount)"
            yield Finding("former-privileged", Severity.LOW, principal.qualified_name, "", message)
        elif i in inside and i not in closed:
            message = "it is privileged, and yet takes rights from the OU above: whoever has those reaches it"
            yield Finding("open-to-inheritance", Severity.LOW, principal.qualified_name, "", message)
    for principal in catalogue.principals(closed - marked.keys() - inside).values():
        if principal.kind in (Kind.USER, Kind.GROUP) and not principal.flags & Flag.CRITICAL:
            message = "it is not privileged, and yet takes no rights from above: grants over its OU miss it"
            yield Finding("closed-to-inheritance", Severity.LOW, principal.qualified_name, "", message)


def _closed_to_inheritance(rights: Rights) -> set[int]:
    """Ids of the objects that keep entries from above out."""
    closed: set[int] = set()
    for raw, _, ids in rights.estate.catalogue.descriptor_users():
        if is_readable(raw) and Descriptor.from_bytes(raw).protected:
            closed |= set(ids.tolist())
    return closed
