"""What a group of one scope may hold, known before a server is asked ([MS-ADTS] 3.1.1.1.6, [MS-SAMR] 3.1.5.8)."""

from typing import Final

from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import domain_of_dn

_MAY_HOLD: Final = {
    "global": ("global",),
    "universal": ("global", "universal"),
    "domain local": ("global", "universal", "domain local"),
}
_WAY_OUT: Final = {
    ("global", "universal"): "make the outer group universal, or put the members themselves in",
    ("global", "domain local"): "put the members themselves in, or nest the other way round",
    ("universal", "domain local"): "make the outer group domain local, or put the members themselves in",
}


def refused_nesting(group: Principal, member: Principal) -> str:
    """Return why a group may not hold a member, with the right way; an empty text if it may."""
    if member.id == group.id:
        return f"{group.qualified_name} cannot be a member of itself"
    if member.kind in (Kind.OU, Kind.CONTAINER, Kind.POLICY, Kind.DOMAIN):
        return f"{member.qualified_name} is {member.kind.one}, and groups hold accounts and groups"
    if member.kind == Kind.FOREIGN and group.group_scope != "domain local":
        return f"{member.qualified_name} is of another domain, and only a domain local group may hold it"
    if _of_different_domains(group, member):
        # Whether both are of one forest, so that a universal group may hold it, the server knows.
        if group.group_scope == "global":
            return f"{member.qualified_name} is of another domain, and no global group may hold it"
        if member.group_scope == "domain local":
            return f"{member.qualified_name} is domain local, and counts in its own domain alone"
    return _refused_group(group, member) if member.kind == Kind.GROUP else ""


def _of_different_domains(group: Principal, member: Principal) -> bool:
    domains = {domain_of_dn(one.dn).casefold() for one in (group, member) if one.kind != Kind.FOREIGN}
    return len(domains - {""}) > 1


def _refused_group(group: Principal, member: Principal) -> str:
    if member.flags & Flag.BUILTIN:
        return f"{member.qualified_name} is built in, and no group may hold it; put its members in"
    outer, inner = group.group_scope, member.group_scope
    if inner in _MAY_HOLD.get(outer, ()):
        return ""
    way_out = _WAY_OUT.get((outer, inner), "put the members themselves in")
    return f"{group.qualified_name} is {outer} and cannot hold {member.qualified_name}, which is {inner}: {way_out}"


def refused_scope_change(before: int, after: int) -> str:
    """Return why a group cannot change from one scope to another in one step; `before` and `after` are its flags.

    Global and domain local are reached from each other through universal only.
    """
    ends = {Flag.GLOBAL, Flag.DOMAIN_LOCAL}
    scopes = {flag for flag in (*ends, Flag.UNIVERSAL) if before & flag} | {flag for flag in ends if after & flag}
    return "global becomes domain local, or the other way round, through universal only" if ends <= scopes else ""
