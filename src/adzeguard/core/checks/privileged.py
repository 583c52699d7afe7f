"""What is wrong with a privileged group regardless of the charter."""

from collections.abc import Iterator

from adzeguard.core.access.chains import chain_as_data, chain_in_words
from adzeguard.core.access.members import Access, members_of
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.wellknown import EVERYONE_LIKE


def check_privileged(looked_at: CheckInput) -> Iterator[Finding]:
    """Disabled accounts left inside, members by primary group, everybody-like principals, and cycles.

    Each is told once, in the most powerful group where it stands nearest: what leads from one privileged group into
    another is the same membership seen twice.
    """
    estate = looked_at.estate
    reported: set[tuple[str, str]] = set()
    for group in looked_at.privileged:
        if estate.graph.expand(group.id).in_cycle:
            message = "the group contains itself through others, so every member of the ring is a member of it"
            yield Finding("membership-ring", Named.of(group), message)
        for access in members_of(estate, group):
            member = Named.of(access.principal)
            sid = access.principal.sid or ""
            for check, message in _of_member(access, foreign=estate.from_elsewhere(sid, _holder(access).dn)):
                if (check, member.key) not in reported:
                    reported.add((check, member.key))
                    evidence = {"chain": chain_as_data(access), "member_sid": access.principal.sid}
                    yield Finding(check, Named.of(group), message, member=member, evidence=evidence)


def check_carried(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield who has a privileged group in the token, and stands in no list of members."""
    for group, member in looked_at.carried:
        said = f"{member.name} carries it in its token by memberOf, though the group does not list it"
        yield Finding("carried-membership", group, said, member=member)


def _holder(access: Access) -> Principal:
    """Return the group that lists a member."""
    return access.chain[-2].principal


def _of_member(access: Access, *, foreign: str) -> Iterator[tuple[str, str]]:
    """Yield the check and what is wrong, for each thing that is wrong with a member."""
    member = access.principal
    way = chain_in_words(access)
    if member.sid in EVERYONE_LIKE and member.kind == Kind.FOREIGN:
        yield "everyone-inside", f"{member.qualified_name} is inside, which is practically everybody: {way}"
    elif foreign and _holder(access).kind != Kind.FOREIGN:
        # Who is inside a group of another domain is that domain's matter: the group is told, once.
        yield "foreign-privileged", f"{member.qualified_name} is inside, {foreign}: {way}"
    if not member.enabled:
        yield "disabled-member", f"the disabled account {member.qualified_name} is still inside: {way}"
    if access.chain[-1].how == "primary group" and member.kind == Kind.USER:
        holder = access.chain[-2].principal.qualified_name
        because = f"{holder} is its primary group, which no member list shows"
        yield "primary-group-member", f"{member.qualified_name} is inside because {because}"
    if member.kind == Kind.USER and len(access.chain) > 3:  # noqa: PLR2004 - group, two groups between, member
        nested = f"{member.qualified_name} gets in through {len(access.chain) - 2} nested groups: {way}"
        yield "deep-member", nested
