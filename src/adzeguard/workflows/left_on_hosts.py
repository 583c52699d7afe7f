"""What those left on hosts who logged on at them, as logs tell it."""

from collections import defaultdict
from collections.abc import Iterator
from datetime import datetime

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import is_qualified, lookup_qualified
from adzeguard.core.rights.over_hosts import LEAVING, LeftOn
from adzeguard.core.trail.event import NOBODY, moment
from adzeguard.store.trail import LastLogon, Trail


class LeftOnHosts:
    """The last logon of everybody at each host of a kind that leaves something there.

    Only a host that has proved itself to the server that logged is believed; what a client calls itself, anybody can
    make up.
    """

    def __init__(self, trail: Trail, estate: Estate, since: datetime, until: datetime) -> None:
        known: dict[str, str] = {}
        self._of: dict[str, list[LastLogon]] = defaultdict(list)
        # Rows as they come: of half a million logons a few are on a way, and are made into values then.
        for row in trail.last_logons(LEAVING, since, until):
            sid = row[1] if row[1] not in ("", NOBODY) else _sid_of(estate, row[0], known)
            self._of[sid].append(row)

    def on(self, host: str) -> Iterator[LeftOn]:
        """Yield those at a host."""
        wanted = host.casefold()
        for sid, rows in self._of.items():
            for _, _, at_host, way, at in rows:
                if at_host.removesuffix("$").casefold() == wanted:
                    yield LeftOn(sid, host, moment(at), way)

    def __call__(self, sid: str) -> Iterator[LeftOn]:
        """Yield those of somebody, by their SID."""
        for _, _, host, way, at in self._of.get(sid, ()):
            yield LeftOn(sid, host.removesuffix("$"), moment(at), way)


def _sid_of(estate: Estate, name: str, known: dict[str, str]) -> str:
    """Return whom a name means, where a log has no SID; empty for nobody, or for several."""
    if name not in known:
        try:
            found = lookup_qualified(estate, name) if is_qualified(name) else []
        except AdzeguardError:  # a log can call somebody by what is no name at all
            found = []
        known[name] = str(found[0].sid or "") if len(found) == 1 else ""
    return known[name]
