"""The entry that a change means, or none: what stands under its name may be something else by now."""

from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid, sid_of_dn
from adzeguard.directory.port import DirectoryDriver, Entry

OTHERWISE = "written, but read back otherwise"


def same_account(directory: DirectoryDriver, named: Named) -> Entry | None:
    """Read the entry of a member, wherever it lies by now: who is inside is a matter of identity, and not of place.

    A member that was moved since is listed by its new name, and would pass for absent by the old one.
    """
    entry = same_entry(directory, named)
    return entry if entry is not None or not named.sid else directory.read_by_sid(Sid(named.sid))


def same_entry(directory: DirectoryDriver, named: Named) -> Entry | None:
    """Read an entry, and only accept it when it is still the one that the proposal means."""
    # Where a name says a SID alone, a server reads the entry and calls it so again: no group lists it by that.
    entry = directory.read(named.dn) if named.dn and not sid_of_dn(named.dn) else None
    if entry is None or (named.made and not named.sid):
        return entry
    packed = entry.first("objectsid")
    return entry if (Sid.from_bytes(packed) if packed else "") == named.sid else None
