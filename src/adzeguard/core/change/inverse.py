"""Undo: what was done, taken together, and the changes that take it back."""

from collections.abc import Mapping, Sequence

from adzeguard.core.change.change import Change, Key
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.order import numbered
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn


def inverse_changes(done: Sequence[Change], groups: Mapping[str, Named]) -> list[Change]:
    """Return the changes that lead back to what stood before the first of the changes in `done`, oldest first.

    What was done to one thing more than once is taken together, so that a change and its undoing cancel. `groups`
    names groups that changes give by SID alone. An object that was deleted is made again under a new SID, and then
    put back into its groups.
    """
    first: dict[Key, Change] = {}
    last: dict[Key, Change] = {}
    for change in _less_what_was_taken_back(done, groups):
        first.setdefault(change.key, change)
        last[change.key] = change
    inverses: list[Change] = []
    gone: set[str] = set()
    for key, change in reversed(first.items()):
        back = change.taken_back(last[key], groups)
        inverses += [back] if back is not None else []
        # Somebody made it again since, or it will be made now; only in the latter case is it something new.
        gone |= {change.object.sid} if isinstance(back, CreateObject) and isinstance(change, DeleteObject) else set()
    gone -= {""}

    def as_it_will_be(named: Named) -> Named:
        return named.made_again() if named.sid in gone else named

    renamed = [change.renamed(as_it_will_be) for change in inverses]
    return list(numbered(sorted(renamed, key=lambda change: change.order)))


def _less_what_was_taken_back(done: Sequence[Change], groups: Mapping[str, Named]) -> list[Change]:
    """Leave out changes of objects that a later one took back exactly, and those that did so.

    Two settings of one attribute have keys of their own, and so have a move and the move back: undone one by one, both
    would be done a second time.
    """
    kept: list[Change] = []
    for change in done:
        place = next((at for at in reversed(range(len(kept))) if _same_object(kept[at], change)), None)
        if place is not None and _takes_back(change, kept[place], groups):
            kept.pop(place)
        else:
            kept.append(change)
    return kept


def _same_object(before: Change, after: Change) -> bool:
    if not (isinstance(before, ObjectChange) and isinstance(after, ObjectChange)):
        return False
    there = before.to if isinstance(before, MoveObject) else before.object.dn
    if after.object.sid and after.object.sid == before.object.sid:
        return True
    return fold_dn(after.object.dn) == fold_dn(there)


def _takes_back(change: Change, before: Change, groups: Mapping[str, Named]) -> bool:
    if isinstance(before, DeleteObject) and isinstance(change, CreateObject):
        return change.attributes == tuple(attribute.turned() for attribute in before.attributes)
    if not isinstance(before, SetAttributes | ChangeRights | MoveObject) or type(change) is not type(before):
        return False
    back = before.taken_back(before, groups)
    return _bare(change) == _bare(back)


def _bare(change: Change) -> Change:
    """A change without what is said of it: what it does."""
    named = change.renamed(lambda one: Named("", one.sid, fold_dn(one.dn) if not one.sid else ""))
    places = {"gives_at": (), "takes_at": ()} if isinstance(change, ChangeRights) else {}
    return named.by("", "", id="", words="", leaves=False, **places)
