"""Asking what SIDs of other domains mean, when they are new and once a day."""

from collections.abc import Iterable, Iterator, Mapping
from collections.abc import Set as AbstractSet
from datetime import datetime
from itertools import groupby
from typing import Final

from adzeguard.core.descriptors.outsiders import sids_of_others
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.foreign import ForeignName, NamesForeigners
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid
from adzeguard.store.foreign_names import ForeignNames

_AGAIN_AFTER: Final = 86_400
_MOST: Final = 50_000


def ask_for_names(
    estate: Estate, names: ForeignNames, namer: NamesForeigners, now: datetime, permissions: Iterable[bytes] = ()
) -> str:
    """Keep what those of other domains are called; return why nobody could be asked, or nothing.

    `permissions` are descriptors of file shares, which name some as well.
    """
    at = int(now.timestamp())
    on_shares = {Sid(sid) for raw in permissions for sid in sids_of_others(raw, estate.domain)}
    due = _due(estate, names.all(), at, on_shares)
    if not due:
        return ""
    troubles: dict[str, str] = {}
    # A domain that does not answer makes the server refuse all that is asked at once (seen: rpc_fault_cant_perform).
    for _, some in groupby(due, key=lambda sid: Sid(sid).authority):
        asked = list(some)
        try:
            names.keep(namer.foreign_names(asked, at))
        except AdzeguardError as error:
            troubles.setdefault(error.message, estate.domain_in_words(asked[0]))
    return "; ".join(f"those {whose}: {said}" for said, whose in troubles.items())


def _due(estate: Estate, known: Mapping[str, ForeignName], now: int, on_shares: AbstractSet[Sid]) -> list[str]:
    """Return the SIDs that were never asked about, or not for a day: in groups, rights, local groups and shares."""
    wanted = {str(one.sid) for one in estate.of_other_domains.values()}
    wanted |= {sid for sid in _on_hosts(estate) | on_shares if estate.who_are([sid])[sid].kind == Kind.UNRESOLVED}
    return sorted(wanted - {one.sid for one in asked_lately(known.values(), now)})[:_MOST]


def asked_lately(known: Iterable[ForeignName], now: int) -> Iterator[ForeignName]:
    """Yield the answers that are not a day old: older ones are asked for again, they may be called otherwise."""
    return (one for one in known if now - one.asked_at < _AGAIN_AFTER)


def _on_hosts(estate: Estate) -> set[Sid]:
    """Return who of another domain stands in local groups; accounts of the hosts' own are none of these."""
    found: set[Sid] = set()
    for some in estate.alike_hosts:
        state = some[0].state
        members = {sid for group in state.groups for sid in group.members} if state is not None else set()
        own = {host.state.machine_sid for host in some if host.state is not None}
        found |= {sid for sid in members if estate.is_of_another_domain(sid) and sid.authority not in own}
    return found
