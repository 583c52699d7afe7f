"""What the directory knows of names, for hosts that know people by name alone."""

from collections.abc import Callable

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import lookup_qualified


class NamesOfStore:
    """Looks names up in the estate that was collected last, which is loaded when somebody first asks."""

    def __init__(self, estate: Callable[[], Estate]) -> None:
        self._estate = estate

    def sid_of(self, name: str) -> str | None:
        """Return the SID of a qualified name, or nothing where it stands for nothing or for several things."""
        try:
            known = lookup_qualified(self._estate(), name)
        except AdzeguardError:  # nothing was collected yet
            return None
        return known[0].sid if len(known) == 1 else None

    def name_of(self, sid: str) -> str | None:
        """Return the qualified name of a SID, or nothing."""
        try:
            estate = self._estate()
        except AdzeguardError:
            return None
        object_id = estate.id_of_sid(sid)
        return estate.principal(object_id).qualified_name if object_id is not None else None
