"""What those left on hosts who logged on at them, as logs tell it."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Final

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import is_qualified, lookup_qualified
from adzeguard.core.rights.over_hosts import LEAVING, LeftOn
from adzeguard.core.trail.event import NOBODY, moment
from adzeguard.store.trail import LogonAtHost, LogonsAsked, Trail

_NO_SID: Final = ("", NOBODY)


class LeftOnHosts:
    """The last logon of somebody at each host of a kind that leaves something there.

    Only a host that has proved itself to the server that logged is believed; what a client calls itself, anybody can
    make up.
    """

    def __init__(self, trail: Trail, estate: Estate, since: datetime, until: datetime) -> None:
        self._trail = trail
        self._estate = estate
        self._asked = LogonsAsked(LEAVING, since, until)
        self._known: dict[str, str] = {}
        self._without_sid: Mapping[str, Sequence[LogonAtHost]] | None = None

    def on(self, host: str) -> Iterator[LeftOn]:
        """Yield those at a host, of everybody."""
        for sid, rows in self._by_sid(self._trail.logons_at(host, self._asked)).items():
            yield from _left(sid, rows)

    def __call__(self, sids: Collection[str]) -> Mapping[str, Sequence[LeftOn]]:
        """Return by their SIDs those of some."""
        rows = self._trail.logons_of(sids if self._without_sid is not None else ["", *sids], self._asked)
        if self._without_sid is None:
            self._without_sid = self._by_sid(row for row in rows if row[1] in _NO_SID)
        of = self._by_sid(row for row in rows if row[1] not in _NO_SID)
        return {sid: list(_left(sid, [*of.get(sid, ()), *self._without_sid.get(sid, ())])) for sid in sids}

    def _by_sid(self, rows: Iterable[LogonAtHost]) -> dict[str, list[LogonAtHost]]:
        found: dict[str, list[LogonAtHost]] = {}
        for row in rows:
            sid = row[1] if row[1] not in _NO_SID else self._sid_of(row[0])
            found.setdefault(sid, []).append(row)
        found.pop("", None)
        return found

    def _sid_of(self, name: str) -> str:
        """Return whom a name means, where a log has no SID; empty for nobody, or for several."""
        if name not in self._known:
            try:
                found = lookup_qualified(self._estate, name) if is_qualified(name) else []
            except AdzeguardError:  # a log can call somebody by what is no name at all
                found = []
            self._known[name] = str(found[0].sid or "") if len(found) == 1 else ""
        return self._known[name]


def _left(sid: str, rows: Iterable[LogonAtHost]) -> Iterator[LeftOn]:
    """Yield the last one at each host, by each kind of logon."""
    last = {(row[2].removesuffix("$").casefold(), row[3]): row for row in sorted(rows, key=lambda row: row[4])}
    for _, _, host, way, at in last.values():
        yield LeftOn(sid, host.removesuffix("$"), moment(at), way)
