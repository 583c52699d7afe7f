"""Whether somebody may log on at a host, and which entry decides."""

from collections.abc import Iterable
from dataclasses import dataclass

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import HostState, host_administrator
from adzeguard.core.estate.logon import LogonRules, logon_of
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import AUTHENTICATED_USERS, EVERYONE


@dataclass(frozen=True, slots=True)
class Admission:
    """Whether a logon is let, and why: `because` is the SID of the entry that decides, empty where none does."""

    allowed: bool
    because: str = ""
    limited: bool = False
    """Whether it is refused since only others are let."""


def identities_of(estate: Estate, sid: Sid, graph: MembershipGraph | None = None) -> frozenset[Sid]:
    """Return everything that somebody is in the directory: themselves, and every group that they are in."""
    known = estate.id_of_sid(sid)
    if known is None:
        return frozenset({sid})
    groups = estate.catalogue.principals((graph or estate.graph).effective_groups(known).tolist())
    return frozenset({sid, *(group.sid for group in groups.values() if group.sid)})


def token_on(estate: Estate, state: HostState, sid: Sid, graph: MembershipGraph | None = None) -> frozenset[Sid]:
    """Return everything that somebody is at a host: themselves, their groups of the directory, and of the host."""
    token = identities_of(estate, sid, graph) | {EVERYONE, AUTHENTICATED_USERS}
    return token | {group.sid for group in state.groups if group.members & token}


def may_log_on(rules: LogonRules | None, token: Iterable[Sid], way: str) -> Admission:
    """Tell whether somebody with this token may log on by a way. A refusal comes before all that lets."""
    if rules is None:
        return Admission(allowed=True)
    held = set(token)
    refused = sorted(held & rules.refused.get(way, frozenset()))
    if refused:
        return Admission(allowed=False, because=refused[0])
    if way not in rules.alone:
        return Admission(allowed=True)
    let = sorted(held & rules.alone[way])
    return Admission(allowed=True, because=let[0]) if let else Admission(allowed=False, limited=True)


def own_administrator_gets_in(state: HostState, rules: LogonRules | None) -> bool:
    """Tell whether the host's own administrator is enabled, and may log on at its console or remotely."""
    own = host_administrator(state)
    if not any(account.sid == own and account.enabled for account in state.accounts):
        return False
    token = {own, EVERYONE, *(group.sid for group in state.groups if own in group.members)}
    return any(may_log_on(rules or logon_of(state), token, way).allowed for way in ("console", "remote"))
