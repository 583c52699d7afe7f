"""What was deleted and made again: under which identity the objects that the journal tells of live today.

An object that is made again gets another SID. What was done to it before is about the old one, and is followed by the
journal: what stood at a place, was deleted there and made there again, wherever it was moved since.
"""

from collections.abc import Callable, Iterable

from adzeguard.core.change.change import Change
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn, is_below


def successors(estate: Estate, done: Iterable[Change]) -> dict[str, Named]:
    """Return by the SIDs of what was deleted what lives in its place today; `done` is all of the journal, in order."""
    # Only here: what changes name is there still, as a rule.
    from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
    from adzeguard.core.change.kinds.move_object import MoveObject

    gone: dict[str, set[str]] = {}
    living: dict[str, set[str]] = {}
    for change in done:
        if isinstance(change, DeleteObject):
            place = fold_dn(change.object.dn)
            sids = living.pop(place, set()) | ({change.object.sid} - {""})
            gone[place] = gone.get(place, set()) | sids
        elif isinstance(change, CreateObject):
            place = fold_dn(change.object.dn)
            living[place] = gone.pop(place, set())
        elif isinstance(change, MoveObject):
            living = {_moved(place, fold_dn(change.object.dn), fold_dn(change.to)): s for place, s in living.items()}
    found: dict[str, Named] = {}
    for place, sids in living.items():
        object_id = estate.catalogue.by_dn(place) if sids else None
        if object_id is not None:
            found |= dict.fromkeys(sids, Named.of(estate.principal(object_id)))
    return found


def _moved(place: str, before: str, after: str) -> str:
    if place == before:
        return after
    return f"{place.removesuffix(before)}{after}" if is_below(place, before) else place


def as_known_today(estate: Estate, changes: Iterable[Change], all_done: Callable[[], Iterable[Change]]) -> list[Change]:
    """Return changes with the identities that what they name has today: what they made itself, and what was made again.

    The whole journal is read only where something is named that is not there any more.
    """
    changes = list(changes)
    named = [one for change in changes for one in change.identities() if one.sid and not one.made]
    ids = estate.ids_of_sids({one.sid for one in named})
    missing = {one.sid for one in named if ids[one.sid] is None}
    follow = successors(estate, all_done()) if missing else {}

    def known(one: Named) -> Named:
        if one.made:
            object_id = estate.catalogue.by_dn(one.dn)
            return Named.of(estate.principal(object_id)) if object_id is not None else one
        return follow.get(one.sid, one) if one.sid in missing else one

    return [change.renamed(known) for change in changes]
