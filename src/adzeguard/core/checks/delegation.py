"""What is wrong with rights: grants nobody wrote down, grants to whom they should not be, and ways up."""

from collections.abc import Iterator, Sequence
from typing import Any

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable, out_of_order
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.documented import documented_entries
from adzeguard.core.rights.delegations import Delegation, Rights, is_person
from adzeguard.core.rights.reach import ReachFinder, ruling_people
from adzeguard.core.rights.reach_words import Reaching, first_right, reaching
from adzeguard.core.wellknown import EVERYONE_LIKE, RID_DOMAIN_COMPUTERS, RID_DOMAIN_USERS

_NAMED = 100


def check_grants(looked_at: CheckInput) -> Iterator[Finding]:
    """Grants that nobody wrote down, and grants to whom they should not be."""
    rights, documented = looked_at.rights, documented_entries(looked_at.rights, looked_at.charter)
    for delegation in rights.own_grants():
        written_down = documented.covers(delegation.over.dn, delegation.grant.entries)
        yield from _of_grant(rights, delegation, written_down=written_down)


def _placed(rights: Rights, principal: Principal) -> Named:
    """Name an object by where it stands, as people know it."""
    return Named(short_dn(rights.estate, principal.dn), principal.sid or "", principal.dn)


def _of_grant(rights: Rights, delegation: Delegation, *, written_down: bool) -> Iterator[Finding]:
    holder, grant, sentence = delegation.holder, delegation.grant, delegation.sentence
    what = grant.duty or grant.words
    about: dict[str, Any] = {
        "member": Named(f"{holder.qualified_name} {what}", f"{grant.who} {'not ' if grant.deny else ''}{what}"),
        "evidence": {
            "duty": grant.duty,
            "sentence": sentence,
            "holder_sid": str(grant.who),
            "entries": [entry.to_bytes().hex() for entry in grant.entries],
        },
    }
    where = _placed(rights, delegation.over)
    elsewhere = rights.estate.from_elsewhere(grant.who, delegation.over.dn)
    if elsewhere:
        yield Finding("foreign-rights", where, f"{sentence}: it is {elsewhere}", **about)
    elif rights.estate.resolves_to_nothing(holder):
        yield Finding("stale-grant", where, f"{sentence}, but it resolves to nothing", **about)
        return
    if _is_everybody(rights, grant.who) and not grant.deny:
        yield Finding("grant-to-everybody", where, f"{sentence}: that is everybody", **about)
    elif is_person(holder):
        yield Finding("grant-to-person", where, f"{sentence}: a person, not a group", **about)
    if not written_down:
        yield Finding("undocumented-grant", where, f"{sentence}; no rule says so", **about)


def _is_everybody(rights: Rights, sid: Sid) -> bool:
    """Everybody, everybody who has logged on, and the groups in which every account or computer is."""
    domain = rights.estate.domain
    return sid in EVERYONE_LIKE or sid in domain.accounts(RID_DOMAIN_USERS, RID_DOMAIN_COMPUTERS)


def check_descriptors(looked_at: CheckInput) -> Iterator[Finding]:
    """Descriptors that cannot be read, and denials that come too late to win."""
    rights = looked_at.rights
    for use in rights.estate.catalogue.descriptor_uses():
        if not is_readable(use.raw):
            for principal in rights.estate.catalogue.principals(use.ids).values():
                message = "what was collected of its rights cannot be read, so nothing is known of them"
                yield Finding("damaged-descriptor", _placed(rights, principal), message)
            continue
        late = out_of_order(Descriptor.from_bytes(use.raw).entries)
        for principal in rights.estate.catalogue.principals(use.ids).values() if late else ():
            holders = sorted({rights.holder(entry.sid).qualified_name for entry in late if entry.sid})
            message = f"{len(late)} denials stand behind what they should win over: {', '.join(holders)}"
            yield Finding("late-denial", _placed(rights, principal), message)


def check_ways_up(looked_at: CheckInput) -> Iterator[Finding]:
    """Each right by which people could make themselves members of a privileged group, however many have it.

    It is told once, where the way is shortest for the most powerful group.
    """
    rights = looked_at.rights
    finder, ruling = ReachFinder(rights), dict[str, set[int]]()
    reported: set[tuple[int, str, int]] = set()
    for group in looked_at.privileged:
        by_right: dict[tuple[int, str, int], list[Reaching]] = {}
        domain = rights.estate.domain.holding(group.dn).base_dn
        if domain not in ruling:
            ruling[domain] = ruling_people(rights.estate, group)
        for found in reaching(rights.estate, finder.graph(group.id), members_too=False, but=ruling[domain]):
            edge = first_right(found.chain)
            by_right.setdefault((edge.holder, edge.how, edge.stands_on), []).append(found)
        for key, people in by_right.items():
            if key not in reported:
                reported.add(key)
                yield _way_up(rights, group, key[0], people)


def _way_up(rights: Rights, group: Principal, holder: int, people: Sequence[Reaching]) -> Finding:
    nearest = people[0]
    who = Named.of(nearest.principal if holder < 0 else rights.estate.principal(holder))
    count = f"{len(people)} people" if len(people) > 1 else nearest.principal.qualified_name
    message = f"{count} could become a member: {nearest.words}"
    evidence = {"chain": nearest.words, "people": [r.principal.qualified_name for r in people[:_NAMED]]}
    return Finding("could-take-over", Named.of(group), message, member=who, evidence=evidence)


def check_inheritance(looked_at: CheckInput) -> Iterator[Finding]:
    """Privileged accounts take no rights from above, and all others do."""
    rights, privileged = looked_at.rights, looked_at.privileged
    catalogue, graph = rights.estate.catalogue, rights.estate.graph
    inside: set[int] = {group.id for group in privileged}
    for group in privileged:
        inside |= set(graph.expand(group.id).members.tolist())
    marked = catalogue.principals(catalogue.flagged(Flag.ADMIN_COUNT).tolist())
    closed = _closed_to_inheritance(rights)
    for i, principal in marked.items():
        if i not in inside and not principal.flags & Flag.CRITICAL:
            message = "it was privileged once, is no more, and still carries the mark (adminCount)"
            yield Finding("former-privileged", Named.of(principal), message)
        elif i in inside and i not in closed:
            message = "it is privileged, and yet takes rights from the OU above: anyone who has those reaches it"
            yield Finding("open-to-inheritance", Named.of(principal), message)
    for principal in catalogue.principals(closed - marked.keys() - inside).values():
        if principal.kind in (Kind.USER, Kind.GROUP) and not principal.flags & Flag.CRITICAL:
            message = "it is not privileged, and yet takes no rights from above: grants over its OU miss it"
            yield Finding("closed-to-inheritance", Named.of(principal), message)


def _closed_to_inheritance(rights: Rights) -> set[int]:
    """Ids of the objects that keep entries from above out."""
    closed: set[int] = set()
    for use in rights.estate.catalogue.descriptor_uses():
        if is_readable(use.raw) and Descriptor.from_bytes(use.raw).protected:
            closed |= set(use.ids)
    return closed
