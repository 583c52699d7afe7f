"""What is wrong with a privileged group whatever the charter says."""

from collections.abc import Iterable, Iterator

from adzeguard.core.access import Access, members_of
from adzeguard.core.checks.chains import chain_as_data, chain_in_words
from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.estate import Estate
from adzeguard.core.principal import Kind, Principal
from adzeguard.core.wellknown import privileged_sids


def privileged_groups(estate: Estate, named: Iterable[Principal]) -> list[Principal]:
    """Return the groups that control the directory, and those that the workspace names as privileged."""
    ids = estate.ids_of_sids(privileged_sids(estate.domain.sid))
    wanted = [i for sid in privileged_sids(estate.domain.sid) if (i := ids[sid]) is not None]
    wanted += [group.id for group in named if group.id not in wanted]
    found = estate.catalogue.principals(wanted)
    return [found[i] for i in wanted if i in found and found[i].kind == Kind.GROUP]


def check_privileged(estate: Estate, groups: Iterable[Principal]) -> Iterator[Finding]:
    """Disabled accounts left inside, members by primary group, everybody-like principals, and cycles.

    Each is told once, in the most powerful group where it stands nearest: what leads from one privileged group into
    another is the same membership seen twice.
    """
    told: set[str] = set()
    for group in groups:
        if estate.graph.expand(group.id).in_cycle:
            message = "the group contains itself through others, so every member of the ring is a member of it"
            yield Finding("membership-ring", Severity.HIGH, group.qualified_name, "", message)
        for access in members_of(estate, group):
            for finding in _of_member(group, access):
                if finding.check + finding.member not in told:
                    told.add(finding.check + finding.member)
                    yield finding


def _of_member(group: Principal, access: Access) -> Iterator[Finding]:
    member = access.principal
    evidence = {"chain": chain_as_data(access), "member_sid": member.sid}
    way = chain_in_words(access)
    if not member.enabled:
        message = f"the disabled account {member.qualified_name} is still inside: {way}"
        yield Finding(
            "disabled-member",
            Severity.MEDIUM,
            group.qualified_name,
            member.qualified_name,
            message,
            evidence=evidence,
        )
    if access.chain[-1].how == "primary group" and member.kind == Kind.USER:
        holder = access.chain[-2].principal.qualified_name
        message = f"{member.qualified_name} is inside because {holder} is its primary group, which no member list shows"
        yield Finding(
            "primary-group-member",
            Severity.HIGH,
            group.qualified_name,
            member.qualified_name,
            message,
            evidence=evidence,
        )
    if member.kind == Kind.USER and len(access.chain) > 3:  # noqa: PLR2004 - group, two groups between, member
        message = f"{member.qualified_name} gets in through {len(access.chain) - 2} nested groups: {way}"
        yield Finding(
            "deep-member",
            Severity.MEDIUM,
            group.qualified_name,
            member.qualified_name,
            message,
            evidence=evidence,
        )
