"""What the journal knows of objects that were deleted by it and are gone since."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import RemoveMember
from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.cleaning.deleted import Remembered
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass
from adzeguard.store.journal import JournalRow
from adzeguard.workflows.journal_rows import done_as_far_as_known


@dataclass(frozen=True, slots=True)
class Deletion:
    """One of them, with what stood in it and the groups that it was taken out of just before."""

    change: DeleteObject
    at: datetime
    known: Remembered


def deletions(rows: Iterable[JournalRow]) -> dict[str, Deletion]:
    """Return by key the deletions after which nothing was made there again."""
    by_enactment: dict[str, list[JournalRow]] = defaultdict(list)
    for row in rows:
        by_enactment[row.enactment].append(row)
    found: dict[str, Deletion] = {}
    for of_one in by_enactment.values():
        done = done_as_far_as_known(of_one)
        at = datetime.fromisoformat(of_one[-1].at)
        for change in done:
            if isinstance(change, DeleteObject):
                kept = tuple(each.turned() for each in change.attributes)
                known = Remembered(kept, _groups_left(done, change.object), (), "the journal")
                found[change.object.key] = Deletion(change, at, known)
            elif isinstance(change, CreateObject):
                place = fold_dn(change.object.dn)
                found = {key: one for key, one in found.items() if fold_dn(one.change.object.dn) != place}
    return found


def _groups_left(done: Iterable[Change], gone: Named) -> tuple[Named, ...]:
    return tuple(one.group for one in done if isinstance(one, RemoveMember) and one.member.key == gone.key)
