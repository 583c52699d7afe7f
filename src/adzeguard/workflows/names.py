"""What the directory knows of names, for hosts that know people by name alone."""

from collections.abc import Callable, Iterable
from threading import Lock

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import lookup_qualified
from adzeguard.core.estate.rows import Observed
from adzeguard.core.wellknown import BUILTIN_AUTHORITY


class KnownNames:
    """Looks names up in what was just seen of the directory, and else in the estate that was collected last.

    The estate is loaded when somebody first asks. A name that several objects bear stands for none of them.
    """

    def __init__(self, estate: Callable[[], Estate]) -> None:
        self._estate = estate
        self._observed: Iterable[Observed] = ()
        self._index: tuple[dict[str, str | None], dict[str, str]] | None = None
        self._lock = Lock()  # hosts are read by many threads at once
        self._domain = ""
        self._of: Domain | None = None

    @property
    def domain(self) -> str:
        """The short name of the directory's domain, empty where nothing is known of it yet."""
        if self._domain:
            return self._domain
        try:
            return self._estate().domain.short_name
        except AdzeguardError:
            return ""

    def just_seen(self, domain: Domain, observed: Iterable[Observed]) -> None:
        """Remember what was just seen of the directory of this domain, before it is stored.

        It is gone through when a host first asks: most never do, and a directory has a million objects.
        """
        self._domain, self._of = domain.short_name, domain
        self._observed = observed
        self._index = None

    @property
    def _seen(self) -> tuple[dict[str, str | None], dict[str, str]]:
        """SIDs by names, None for a name that several have; and names by SIDs."""
        with self._lock:
            if self._index is None:
                sids: dict[str, str | None] = {}
                names: dict[str, str] = {}
                for seen in self._observed:
                    if seen.row.sid and not seen.row.sid.startswith(f"{BUILTIN_AUTHORITY}-"):
                        name = rf"{self._short_name(seen.row.sid)}\{seen.row.name}"
                        other = sids.get(name.casefold(), seen.row.sid)
                        sids[name.casefold()] = seen.row.sid if other == seen.row.sid else None
                        names[seen.row.sid] = name
                self._index = sids, names
            return self._index

    def _short_name(self, sid: str) -> str:
        of = self._of.of_sid(sid) if self._of is not None else None
        return of.short_name if of is not None else self._domain

    def sid_of(self, name: str) -> str | None:
        """Return the SID of a qualified name, or None if it stands for nothing or for several things."""
        sids, _ = self._seen
        if name.casefold() in sids:
            return sids[name.casefold()]
        try:
            known = lookup_qualified(self._estate(), name)
        except AdzeguardError:  # nothing was collected yet
            return None
        return known[0].sid if len(known) == 1 else None

    def name_of(self, sid: str) -> str | None:
        """Return the qualified name of a SID, or nothing."""
        _, names = self._seen
        if sid in names:
            return names[sid]
        try:
            estate = self._estate()
        except AdzeguardError:
            return None
        object_id = estate.id_of_sid(sid)
        return estate.principal(object_id).qualified_name if object_id is not None else None
