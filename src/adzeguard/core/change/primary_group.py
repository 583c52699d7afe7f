"""How somebody leaves their primary group."""

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.kinds.set_primary_group import SetPrimaryGroup
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.wellknown import RID_DOMAIN_COMPUTERS, RID_DOMAIN_USERS


def leave_primary_group(
    estate: Estate, group: Principal, member: Principal, rule: str, why: str
) -> tuple[list[Change], str]:
    """Return the steps by which somebody leaves their primary group, or why it cannot be done.

    Nobody can be taken out of a primary group: another must be it first, and one can only be so for its members.
    When the directory switches the primary group, it lists the account in the old one; that entry is then removed.
    """
    rid = RID_DOMAIN_COMPUTERS if member.kind in (Kind.COMPUTER, Kind.SERVICE) else RID_DOMAIN_USERS
    # A primary group is one of the account's own domain.
    fallback_id = estate.id_of_sid(estate.domain.holding(member.dn).account(rid))
    if fallback_id is None or fallback_id == group.id or group.sid is None:
        return [], f"it is the primary group of {member.qualified_name}, and there is no other to take its place"
    fallback, who = Named.of(estate.principal(fallback_id)), Named.of(member)
    steps: list[Change] = []
    if member.id not in estate.graph.direct_members(fallback_id):
        steps.append(AddMember(group=fallback, member=who, rule=rule, why=why))
    steps.append(SetPrimaryGroup(group=fallback, member=who, before=group.sid, rule=rule, why=why))
    steps.append(RemoveMember(group=Named.of(group), member=who, rule=rule, why=why))
    return steps, ""
