"""SIDs and relative identifiers that mean the same everywhere ([MS-DTYP] 2.4.2.4, [MS-SAMR] 2.2.1.14)."""

from typing import Final

from adzeguard.core.identity import Sid

BUILTIN_AUTHORITY: Final = "S-1-5-32"
ADMINISTRATORS: Final = Sid("S-1-5-32-544")

SECURITY_ENABLED: Final = 0x80000000
"""The bit of groupType that makes a group one for access ([MS-ADTS] 2.2.12)."""

DIRECTORY_SERVER_GROUPS: Final = (516, 521)
"""The primary groups of domain controllers, writable and read-only ([MS-ADTS] 6.1.1.4.13)."""
MADE_BY_STAFF: Final = 1000
"""Relative identifiers below are those of what every domain is born with ([MS-SAMR] 3.1.1.9.2)."""
GROUPS_OF_THE_NAME_SERVICE: Final = frozenset({"dnsadmins", "dnsupdateproxy"})
"""Made with the name service of a domain, and so born with it, under identifiers as those of what staff make."""
RID_OF_ADMINISTRATORS: Final = 544
"""Of the administrators group that every domain and host has."""
RID_ADMINISTRATOR: Final = 500
RID_GUEST: Final = 501
RID_DOMAIN_ADMINS: Final = 512
RID_DOMAIN_USERS: Final = 513
RID_DOMAIN_COMPUTERS: Final = 515
RID_DIRECTORY_SERVERS: Final = 516
RID_SCHEMA_ADMINS: Final = 518
RID_ENTERPRISE_ADMINS: Final = 519
RID_PROTECTED_USERS: Final = 525

LOCAL_GROUPS: Final[dict[str, Sid]] = {
    "administrators": ADMINISTRATORS,
    "users": Sid("S-1-5-32-545"),
    "guests": Sid("S-1-5-32-546"),
    "power-users": Sid("S-1-5-32-547"),
    "print-operators": Sid("S-1-5-32-550"),
    "backup-operators": Sid("S-1-5-32-551"),
    "remote-desktop-users": Sid("S-1-5-32-555"),
    "network-configuration-operators": Sid("S-1-5-32-556"),
    "performance-log-users": Sid("S-1-5-32-559"),
    "distributed-com-users": Sid("S-1-5-32-562"),
    "event-log-readers": Sid("S-1-5-32-573"),
    "hypervisor-administrators": Sid("S-1-5-32-578"),
    "remote-management-users": Sid("S-1-5-32-580"),
}
"""Our names of the local groups that every host has, in any language."""

LOCAL_ACCOUNT_RIDS: Final[dict[str, int]] = {"administrator": RID_ADMINISTRATOR, "guest": RID_GUEST}
"""Accounts of a host that keep their relative identifier when somebody renames them."""

WELL_KNOWN: Final[dict[str, Sid]] = {
    "everyone": Sid("S-1-1-0"),
    "creator-owner": Sid("S-1-3-0"),
    "network": Sid("S-1-5-2"),
    "batch": Sid("S-1-5-3"),
    "interactive": Sid("S-1-5-4"),
    "service": Sid("S-1-5-6"),
    "anonymous": Sid("S-1-5-7"),
    "enterprise-domain-controllers": Sid("S-1-5-9"),
    "self": Sid("S-1-5-10"),
    "authenticated-users": Sid("S-1-5-11"),
    "remote-interactive": Sid("S-1-5-14"),
    "system": Sid("S-1-5-18"),
    "local-service": Sid("S-1-5-19"),
    "network-service": Sid("S-1-5-20"),
}
"""Principals that stand for a situation rather than for somebody."""

EVERYONE: Final = Sid("S-1-1-0")
AUTHENTICATED_USERS: Final = Sid("S-1-5-11")
EVERYONE_LIKE: Final = frozenset({"S-1-1-0", "S-1-5-7", "S-1-5-11", "S-1-5-4", "S-1-5-2", "S-1-5-32-545"})
"""Each of these stands for practically everybody."""

_OF_EVERY_DIRECTORY: Final = {
    "S-1-5-32-548": "Account Operators",
    "S-1-5-32-549": "Server Operators",
    "S-1-5-32-552": "Replicators",
    "S-1-5-32-554": "Pre-Windows 2000 Compatible Access",
    "S-1-5-32-557": "Incoming Forest Trust Builders",
    "S-1-5-32-560": "Windows Authorization Access Group",
    "S-1-5-32-561": "Terminal Server License Servers",
    "S-1-5-32-574": "Certificate Service DCOM Access",
}
"""Groups that every directory has beside those of every host. An extract of a directory often leaves them out, and
rights name them all the same."""

_WELL_KNOWN_NAMES: Final = {sid: name for name, sid in WELL_KNOWN.items()}
_LOCAL_GROUP_NAMES: Final = {sid: name for name, sid in LOCAL_GROUPS.items()}

_PRIVILEGED_RIDS: Final = (RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS, RID_SCHEMA_ADMINS)
_PRIVILEGED_BUILTIN_RIDS: Final = (544, 548, 549, 550, 551)


def well_known_name(sid: str) -> str | None:
    """Return "everyone" for S-1-1-0 and so on, or nothing."""
    return _WELL_KNOWN_NAMES.get(Sid(sid))


def local_group_name(sid: str) -> str | None:
    """Return our name of a local group that every host has, or nothing."""
    return _LOCAL_GROUP_NAMES.get(Sid(sid))


def built_in_group_name(sid: str) -> str | None:
    """Return the name of a group that every directory has, or nothing."""
    return _OF_EVERY_DIRECTORY.get(sid) or local_group_name(sid)


def is_built_in_group(sid: str | None) -> bool:
    """Tell whether it is a group that every directory or host has."""
    return bool(sid) and str(sid).startswith(f"{BUILTIN_AUTHORITY}-")


def privileged_sids(domain_sid: str, builtin: str = BUILTIN_AUTHORITY) -> list[Sid]:
    """Return the SIDs of the groups that control the directory itself, most powerful first.

    `builtin` is under what the groups stand that every domain has.
    """
    of_every_domain = [Sid(f"{builtin}-{rid}") for rid in _PRIVILEGED_BUILTIN_RIDS]
    return [Sid(f"{domain_sid}-{rid}") for rid in _PRIVILEGED_RIDS] + of_every_domain
