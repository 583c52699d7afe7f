"""SIDs of the domain that belong to nothing that was collected: deleted, or only hidden from who reads."""

from adzeguard.core.estate.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import MADE_BY_STAFF


class Gone:
    """Tells which SIDs are such, each looked up once."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._own = tuple(f"{one.sid}-" for one in estate.domain.all)
        self._known: dict[str, bool] = {}

    def holds(self, sid: str) -> bool:
        """Tell whether a SID is one of our domains, and belongs to nothing that was collected."""
        if sid not in self._known:
            is_ours = sid.startswith(self._own)
            # What every domain is born with may just have been left out of what was collected.
            is_ours = is_ours and Sid(sid).rid >= MADE_BY_STAFF
            self._known[sid] = is_ours and self._is_nothing(Sid(sid))
        return self._known[sid]

    def _is_nothing(self, sid: Sid) -> bool:
        found = self._estate.id_of_sid(sid)
        # Of a SID of our own a mere placeholder is left over where somebody put the SID itself into a group.
        return found is None or self._estate.resolves_to_nothing(self._estate.principal(found))
