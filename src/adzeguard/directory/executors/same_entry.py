"""The entry that a change means, or none: what stands under its name may be something else by now."""

from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid
from adzeguard.directory.port import DirectoryDriver, Entry

OTHERWISE = "written, but read back otherwise"


def same_entry(directory: DirectoryDriver, named: Named) -> Entry | None:
    """Read an entry, and only accept it when it is still the one that the proposal means."""
    entry = directory.read(named.dn) if named.dn else None
    if entry is None or (named.made and not named.sid):
        return entry
    packed = entry.first("objectsid")
    return entry if (Sid.from_bytes(packed) if packed else "") == named.sid else None
