"""Undo: what was done, taken together, and the changes that take it back."""

from collections.abc import Mapping, Sequence

from adzeguard.core.change.change import Change, Key
from adzeguard.core.change.kinds.delete_object import DeleteObject
from adzeguard.core.change.order import numbered
from adzeguard.core.estate.named import Named


def inverse_changes(done: Sequence[Change], groups: Mapping[str, Named]) -> list[Change]:
    """Return the changes that lead back to what stood before the first of the changes in `done`, oldest first.

    What was done to one thing more than once is taken together, so that a change and its undoing cancel. `groups`
    names groups that changes give by SID alone. An object that was deleted is made again under a new SID, and then
    put back into its groups.
    """
    first: dict[Key, Change] = {}
    last: dict[Key, Change] = {}
    for change in done:
        first.setdefault(change.key, change)
        last[change.key] = change
    inverses = [back for key, change in reversed(first.items()) if (back := change.taken_back(last[key], groups))]
    gone = {change.object.sid for change in done if isinstance(change, DeleteObject)} - {""}

    def as_it_will_be(named: Named) -> Named:
        return named.made_again() if named.sid in gone else named

    renamed = [change.renamed(as_it_will_be) for change in inverses]
    return list(numbered(sorted(renamed, key=lambda change: change.order)))
