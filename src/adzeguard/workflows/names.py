"""What the directory knows of names, for hosts that know people by name alone."""

from collections.abc import Callable, Iterable

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import lookup_qualified
from adzeguard.core.estate.rows import Observed


class KnownNames:
    """Looks names up in what was just seen of the directory, and else in the estate that was collected last.

    The estate is loaded when somebody first asks. A name that several objects bear stands for none of them.
    """

    def __init__(self, estate: Callable[[], Estate]) -> None:
        self._estate = estate
        self._sids: dict[str, str | None] = {}
        self._names: dict[str, str] = {}
        self._domain = ""

    @property
    def domain(self) -> str:
        """The short name of the directory's domain, empty where nothing is known of it yet."""
        if self._domain:
            return self._domain
        try:
            return self._estate().domain.short_name
        except AdzeguardError:
            return ""

    def just_seen(self, short_name: str, observed: Iterable[Observed]) -> None:
        """Remember what was just seen of the directory of this name, before it is stored."""
        self._domain = short_name
        for seen in observed:
            if seen.row.sid:
                name = rf"{short_name}\{seen.row.name}"
                other = self._sids.get(name.casefold(), seen.row.sid)
                self._sids[name.casefold()] = seen.row.sid if other == seen.row.sid else None
                self._names[seen.row.sid] = name

    def sid_of(self, name: str) -> str | None:
        """Return the SID of a qualified name, or nothing where it stands for nothing or for several things."""
        if name.casefold() in self._sids:
            return self._sids[name.casefold()]
        try:
            known = lookup_qualified(self._estate(), name)
        except AdzeguardError:  # nothing was collected yet
            return None
        return known[0].sid if len(known) == 1 else None

    def name_of(self, sid: str) -> str | None:
        """Return the qualified name of a SID, or nothing."""
        if sid in self._names:
            return self._names[sid]
        try:
            estate = self._estate()
        except AdzeguardError:
            return None
        object_id = estate.id_of_sid(sid)
        return estate.principal(object_id).qualified_name if object_id is not None else None
