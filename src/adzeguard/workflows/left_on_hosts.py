"""What those left on hosts who logged on at them, as logs tell it."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Final

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import is_qualified, lookup_qualified
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.over_hosts import LEAVING, LeftOn
from adzeguard.core.trail.event import NOBODY, moment
from adzeguard.store.seen_on import SeenOnHosts, Sighting
from adzeguard.store.trail import LogonAtHost, LogonsAsked, Trail

_NO_SID: Final = ("", NOBODY)


class LeftOnHosts:
    """The last logon of somebody at each host of a kind that leaves something there.

    Only a host that has proved itself to the server that logged is believed; what a client calls itself, anybody can
    make up. What hosts say themselves, where it is given, stands beside it: the directory knows nothing of who works
    there still, of what was left behind, or of who came by a public key.
    """

    def __init__(
        self, trail: Trail, estate: Estate, since: datetime, until: datetime, seen: SeenOnHosts | None = None
    ) -> None:
        self._trail = trail
        self._estate = estate
        self._seen = seen
        self._asked = LogonsAsked(LEAVING, since, until)
        self._known: dict[str, str] = {}
        self._without_sid: Mapping[str, Sequence[LogonAtHost]] | None = None

    def on(self, host: Principal) -> Iterator[LeftOn]:
        """Yield those at a host, of everybody."""
        logged = self._by_sid(self._trail.logons_at(host.name, self._asked))
        told = [one for sid, rows in logged.items() for one in _left(sid, rows)]
        yield from _last(told + _seen_by(self._seen.at(host.id) if self._seen is not None else ()))

    def __call__(self, sids: Collection[str]) -> Mapping[str, Sequence[LeftOn]]:
        """Return by their SIDs those of some."""
        rows = self._trail.logons_of(sids if self._without_sid is not None else ["", *sids], self._asked)
        if self._without_sid is None:
            self._without_sid = self._by_sid(row for row in rows if row[1] in _NO_SID)
        of = self._by_sid(row for row in rows if row[1] not in _NO_SID)
        found = {sid: list(_left(sid, [*of.get(sid, ()), *self._without_sid.get(sid, ())])) for sid in sids}
        for one in _seen_by(self._seen.of(sids) if self._seen is not None else ()):
            found[one.sid].append(one)
        return {sid: _last(left) for sid, left in found.items()}

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
    yield from (LeftOn(sid, host.removesuffix("$"), moment(at), way) for _, _, host, way, at in rows)


def _seen_by(sightings: Iterable[Sighting]) -> list[LeftOn]:
    return [LeftOn(one.sid, one.host, one.at, one.how) for one in sightings if one.how in LEAVING]


def _last(left: Iterable[LeftOn]) -> list[LeftOn]:
    """Return the last one of somebody at each host, by each way."""
    in_order = sorted(left, key=lambda one: one.at)
    return list({(one.sid, one.host.casefold(), one.way): one for one in in_order}.values())
