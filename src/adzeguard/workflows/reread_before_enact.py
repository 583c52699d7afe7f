"""What decides about harm is read again right before anything is changed: the last collection may be long ago."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import Final

from adzeguard.core.access.keepers import controlling_groups
from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.errors import DirectoryUnreachableError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.estate.rows import Observed
from adzeguard.core.identity import fold_dn
from adzeguard.directory.decode import observe
from adzeguard.directory.port import DirectoryDriver
from adzeguard.store.estate_store import EstateStore

_MOST_READ: Final = 500
"""Entries that are read again: groups that control the directory hold few, or something else is wrong."""
_MOST_COMPARED: Final = 2_000
"""Members that are compared one by one; of larger groups, which control nothing, the number is."""
_FLAGS: Final = Flag.ENABLED | Flag.SECURITY_GROUP


def reread_before_enact(
    directory: DirectoryDriver, store: EstateStore, estate: Estate, changes: Sequence[Change], now: datetime
) -> bool:
    """Read again the groups that control the directory, who is in them, and the groups that changes are about.

    The members of a group that a change is about matter here only where that group controls something. What differs
    from the store is written there, and true is returned: then guards must judge anew.
    """
    controlling = set(controlling_groups(estate))
    differing: list[Observed] = []
    seen: set[int] = set()
    waiting = controlling | set(_groups_of(estate, changes))
    leading_in = set(controlling)
    while waiting and len(seen) < _MOST_READ:
        level = estate.catalogue.principals(sorted(waiting)[: _MOST_READ - len(seen)])
        seen |= waiting
        waiting = set()
        for principal in level.values():
            try:
                entry = directory.read(principal.dn)
            except DirectoryUnreachableError:
                # What a domain that is off held last is all that is known of it, and nothing is written there.
                if not estate.domain.others:
                    raise
                continue
            found = observe(entry) if entry is not None else None
            if found is None or found.row.sid != (principal.sid or ""):
                continue  # moved or gone: the change itself will find that out
            inside = _ids(estate, found.members) if len(found.members) <= _MOST_COMPARED else None
            if _differs(estate, principal, found, inside):
                differing.append(found)
            if principal.id in leading_in:
                within = (inside or set()) | set(estate.graph.primary_members(principal.id).tolist())
                leading_in |= within
                waiting |= within - seen
    if differing:
        store.write_observed(store.latest().facts.of_an_enactment(now, now), differing, ())
    return bool(differing)


def _groups_of(estate: Estate, changes: Iterable[Change]) -> Iterable[int]:
    sids = {c.group.sid for c in changes if isinstance(c, MembershipChange) and not c.host_name and c.group.sid}
    ids = estate.ids_of_sids(sids)
    return [i for sid in sids if (i := ids[sid]) is not None]


def _ids(estate: Estate, names: Iterable[str]) -> set[int]:
    return {i for name in names if (i := estate.catalogue.by_dn(name)) is not None}


def _differs(estate: Estate, principal: Principal, found: Observed, inside: set[int] | None) -> bool:
    if principal.kind == Kind.GROUP:
        listed = estate.graph.direct_members(principal.id)
        if len(found.members) != len(listed) if inside is None else inside != set(listed.tolist()):
            return True
    flags = Flag(found.row.flags) & _FLAGS
    moved = fold_dn(found.row.dn) != fold_dn(principal.dn)
    return flags != principal.flags & _FLAGS or found.row.primary_group_rid != principal.primary_group_rid or moved
