"""SIDs of the domain that belong to nothing any more, where they still stand, and what takes them out."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from adzeguard.core.access.shares import Shared, whole_path
from adzeguard.core.change.by_hand.objects import rights_change
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import MADE_BY_STAFF


@dataclass(frozen=True, slots=True)
class Orphan:
    """One place where such a SID stands: over an object, on a share or on a folder, and what would take it out.

    A share itself is changed on its server alone, so nothing here takes it out.
    """

    sid: str
    what: str
    where: str
    detail: str
    change: Change | None = None


def orphans(estate: Estate, shared: Shared, why: str) -> Iterator[Orphan]:
    """Yield them, those over objects first. A SID of another domain may well be somebody there, and is left alone."""
    gone = _Gone(estate)
    for use in estate.catalogue.descriptor_uses():
        entries = gone.among(_entries(use.raw), with_inherited=False)
        for one in estate.catalogue.principals(use.ids).values() if entries else ():
            for sid, some in entries.items():
                change = rights_change(Named.of(one), takes=some, why=why)
                yield Orphan(sid, "grant", short_dn(estate, one.dn), _counted(some), change)
    for share in shared.shares:
        for sid, some in gone.among(_entries(share.descriptor), with_inherited=True).items():
            yield Orphan(sid, "share", share.path, f"{_counted(some)} on the share itself: its server changes them")
        for folder in shared.folders.get(share, ()):
            for sid, some in gone.among(_entries(folder.descriptor), with_inherited=True).items():
                taken_out = ChangeFolderRights(
                    server=share.server,
                    share=share.name,
                    path=folder.path,
                    takes=tuple(some),
                    rule=BY_HAND_RULE,
                    why=why,
                )
                yield Orphan(sid, "folder", whole_path(share, folder), _counted(some), taken_out)


class _Gone:
    """Tells which SIDs of the domain belong to nothing, each looked up once."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._own = f"{estate.domain.sid}-"
        self._known: dict[str, bool] = {}

    def among(self, entries: Sequence[Ace], *, with_inherited: bool) -> dict[str, list[Ace]]:
        """Return the entries of such SIDs.

        What an object has from above goes with what stands there. A folder has it as a copy, which stays.
        """
        found: dict[str, list[Ace]] = {}
        for entry in entries:
            if entry.sid is not None and (with_inherited or not entry.inherited) and self._is_gone(str(entry.sid)):
                found.setdefault(str(entry.sid), []).append(entry)
        return found

    def _is_gone(self, sid: str) -> bool:
        if sid not in self._known:
            known = Sid(sid)
            # What every domain is born with may just have been left out of what was collected.
            is_ours = sid.startswith(self._own) and known.rid >= MADE_BY_STAFF
            self._known[sid] = is_ours and self._estate.id_of_sid(known) is None
        return self._known[sid]


def _entries(raw: bytes) -> Sequence[Ace]:
    return Descriptor.from_bytes(raw).entries if raw and is_readable(raw) else ()


def _counted(entries: Sequence[Ace]) -> str:
    return f"{len(entries)} entr{'y' if len(entries) == 1 else 'ies'}"
