"""What those left on hosts who logged on at them, as logs tell it."""

from collections.abc import Iterator
from datetime import datetime

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import is_qualified, lookup_qualified
from adzeguard.core.rights.over_hosts import LEAVING, LeftOn
from adzeguard.core.trail.event import NOBODY, Event
from adzeguard.store.trail import Trail


def left_on_hosts(trail: Trail, estate: Estate, since: datetime, until: datetime) -> Iterator[LeftOn]:
    """Yield the last logon of everybody at each host of a kind that leaves something there.

    Only a host that has proved itself to the server that logged is believed; what a client calls itself, anybody can
    make up.
    """
    known: dict[str, str] = {}
    for event in trail.last_logons(LEAVING, since, until):
        sid = _sid(estate, event, known)
        if sid:
            yield LeftOn(sid, event.group.removesuffix("$"), event.at, event.way)


def _sid(estate: Estate, event: Event, known: dict[str, str]) -> str:
    if event.member_sid not in ("", NOBODY):
        return event.member_sid
    if event.member not in known:
        try:
            found = lookup_qualified(estate, event.member) if is_qualified(event.member) else []
        except AdzeguardError:  # a log can call somebody by what is no name at all
            found = []
        known[event.member] = str(found[0].sid or "") if len(found) == 1 else ""
    return known[event.member]
