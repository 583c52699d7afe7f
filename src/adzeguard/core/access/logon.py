"""Whether somebody may log on at a host, and which entry decides."""

from collections.abc import Collection, Iterable, Mapping

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import HostState, host_administrator
from adzeguard.core.estate.logon import LogonRules, logon_of
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass
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
    return identities_of_all(estate, [sid], graph)[sid]


def identities_of_all(
    estate: Estate, sids: Collection[Sid], graph: MembershipGraph | None = None
) -> Mapping[Sid, frozenset[Sid]]:
    """Return the same of many, looked up together."""
    ids = estate.ids_of_sids(sids)
    known = {sid: i for sid in sids if (i := ids[sid]) is not None}
    found = (graph or estate.graph).effective_groups_of(list(known.values()))
    groups = {sid: ids.tolist() for sid, ids in zip(known, found, strict=True)}
    shown = estate.catalogue.principals({i for ids in groups.values() for i in ids})
    of_group = {i: one.sid for i, one in shown.items() if one.sid}
    return {sid: frozenset({sid, *(of_group[i] for i in groups.get(sid, ()) if i in of_group)}) for sid in sids}


def token_on(estate: Estate, state: HostState, sid: Sid, graph: MembershipGraph | None = None) -> frozenset[Sid]:
    """Return everything that somebody is at a host: themselves, their groups of the directory, and of the host."""
    return token_at(state, identities_of(estate, sid, graph))


def token_at(state: HostState, identities: frozenset[Sid]) -> frozenset[Sid]:
    """Return the same by everything that somebody is in the directory."""
    token = identities | {EVERYONE, AUTHENTICATED_USERS}
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


def shape_of(rules: LogonRules | None, state: HostState) -> tuple[object, ...]:
    """Return what decides on a host: its lists, and the members of those of its own groups that stand in them.

    It is equal for hosts that let in the same people of the directory.
    """
    if rules is None:
        return ()
    lists: list[tuple[str, Mapping[str, frozenset[Sid]]]] = [("refused", rules.refused), ("alone", rules.alone)]
    named = {sid for _, by_way in lists for sids in by_way.values() for sid in sids}
    own = tuple((group.sid, group.members) for group in state.groups if group.sid in named)
    return (tuple((kind, tuple(sorted(by_way.items()))) for kind, by_way in lists), own)


def own_administrator_gets_in(state: HostState, rules: LogonRules | None) -> bool:
    """Tell whether the host's own administrator is enabled, and may log on at its console or remotely."""
    own = host_administrator(state)
    if not any(account.sid == own and account.enabled for account in state.accounts):
        return False
    token = {own, EVERYONE, *(group.sid for group in state.groups if own in group.members)}
    return any(may_log_on(rules or logon_of(state), token, way).allowed for way in ("console", "remote"))
