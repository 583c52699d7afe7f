"""What was deleted and can be restored: as the directory keeps it, as the journal does, as it was collected last."""

import re
from collections.abc import Container, Mapping, Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Final

from adzeguard.core.change.draft import Draft
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.cleaning.deleted import Deleted, Remembered, remembered_by, restored
from adzeguard.core.errors import AmbiguousNameError, InputError, UnknownNameError
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid, fold_dn, leaf_name, split_dn
from adzeguard.core.values import dataclass
from adzeguard.core.views.retired import deleted_table
from adzeguard.core.views.table import Table
from adzeguard.core.wording import when
from adzeguard.directory.decode import observe, seconds_of
from adzeguard.directory.port import LEFT_OF_DELETED, Entry, TellsDeleted
from adzeguard.workflows.deletions import Deletion, deletions

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_MARK: Final = re.compile(r"(\\0A|\n)DEL:.*", re.IGNORECASE | re.DOTALL)
"""What a server appends to the name of a deleted object, with its GUID ([MS-ADTS] 3.1.1.5.5.1.1)."""
_DEEPEST: Final = 100
_WRITTEN_AGAIN: Final = frozenset({"objectclass", "samaccountname", "useraccountcontrol", "grouptype"})
_RESTORABLE: Final = frozenset({Kind.USER, Kind.GROUP, Kind.COMPUTER, Kind.OU, Kind.CONTACT, Kind.SERVICE})


@dataclass(frozen=True, slots=True)
class Restorable:
    """One deleted object, and what the journal knows of it."""

    left: Deleted
    deletion: Deletion | None
    is_kept: bool
    """Whether the directory keeps what is left of it, so that it comes back with its SID."""


def restorable(workspace: "Workspace") -> list[Restorable]:
    """Return all that is to be seen of what was deleted, the latest first."""
    ours = deletions(workspace.journal.rows())
    with workspace.directory() as directory:
        entries = list(directory.deleted()) if isinstance(directory, TellsDeleted) else []
    places = {fold_dn(entry.dn): entry for entry in entries}
    left = [_left(entry, places) for entry in entries]
    found = [
        Restorable(one, ours.pop(one.sid or fold_dn(one.dn), None), is_kept=bool(one.sid))
        for one in left
        if one is not None and one.kind in _RESTORABLE
    ]
    # What the directory keeps no more, or never kept, is made anew out of the journal.
    found += [Restorable(_of_journal(one), one, is_kept=False) for one in ours.values()]
    known = workspace.estate.who_are({Sid(one.left.sid) for one in found if one.left.sid})
    # Another domain's groups go on listing somebody by a placeholder, which nobody stands behind any more.
    gone = (one for one in found if not one.left.sid or workspace.estate.resolves_to_nothing(known[Sid(one.left.sid)]))
    return sorted(gone, key=lambda one: one.left.at, reverse=True)


def _was_at(entry: Entry, places: Mapping[str, Entry], depth: int = 0) -> str:
    """Return where an entry was; the place of what lay in a deleted container is told by what is left of that."""
    rdn, parent = _MARK.sub("", split_dn(entry.dn)[0]), entry.text("lastknownparent")
    container = places.get(fold_dn(parent))
    if container is not None and depth < _DEEPEST:
        parent = _was_at(container, places, depth + 1)
    return f"{rdn},{parent}" if parent else ""


def _left(entry: Entry, places: Mapping[str, Entry]) -> Deleted | None:
    """Return what one entry was; nothing for what is no object of ours, or is damaged."""
    try:
        seen = observe(entry)
    except InputError:
        return None
    dn = _was_at(entry, places)
    if seen is None or not dn:
        return None
    kept = tuple(
        AttributeChange(name=name, after=tuple(entry.attributes[name.lower()]))
        for name in LEFT_OF_DELETED
        if name.lower() in _WRITTEN_AGAIN and entry.attributes.get(name.lower())
    )
    row = seen.row
    name = _MARK.sub("", row.name) or leaf_name(dn)
    at = datetime.fromtimestamp(seconds_of(entry.text("whenchanged")), UTC)
    return Deleted(row.key, Kind(row.kind), name, row.sid, dn, at, kept)


def _of_journal(one: Deletion) -> Deleted:
    object_ = one.change.object
    classes = {
        value.lower() for each in one.change.attributes if each.name.lower() == "objectclass" for value in each.before
    }
    kinds = ((b"computer", Kind.COMPUTER), (b"user", Kind.USER), (b"group", Kind.GROUP), (b"contact", Kind.CONTACT))
    kind = next((kind for name, kind in kinds if name in classes), Kind.OU)
    return Deleted(b"", kind, object_.name.rpartition("\\")[2], object_.sid, object_.dn, one.at)


def listed(workspace: "Workspace") -> Table:
    """Return what was deleted, where it was, and how it would come back."""
    found = restorable(workspace)
    known = workspace.store.ever_had([one.left.key for one in found if one.left.key])
    return deleted_table(workspace.estate, [(one.left, one.is_kept, _source(one, known)) for one in found])


def _source(one: Restorable, known: Container[bytes]) -> str:
    if one.deletion is not None:
        return "journal"
    return "collection" if one.left.key in known else ""


class Restoring:
    """Deleted objects that are brought back with what is known of them."""

    def __init__(self, workspace: "Workspace", given: Sequence[str], why: str) -> None:
        self._workspace = workspace
        self._given = given
        self._why = why

    def draft(self) -> Draft:
        """Return what makes them, fills them, and puts them into their groups again."""
        workspace = self._workspace
        found = restorable(workspace)
        chosen = [_called(found, name) for name in self._given]
        return restored(workspace.estate, [(one.left, _remembered(workspace, one)) for one in chosen], self._why)

    def settle(self) -> None:
        """There is nothing to note: what is there again is collected as anything new."""


def _called(found: Sequence[Restorable], name: str) -> Restorable:
    wanted = name.rpartition("\\")[2].casefold() if "=" not in name else fold_dn(name)
    those = [
        one for one in found if wanted in (one.left.name.casefold(), one.left.sid.casefold(), fold_dn(one.left.dn))
    ]
    if not those:
        raise UnknownNameError(f"nothing deleted is called '{name}'", "See: adzeguard retire list --deleted")
    if len(those) > 1:
        lines = "\n".join(f"  {one.left.sid or one.left.dn}, deleted {when(one.left.at)}" for one in those)
        raise AmbiguousNameError(f"'{name}' was deleted {len(those)} times:\n{lines}", "Write the SID of one")
    return those[0]


def _remembered(workspace: "Workspace", one: Restorable) -> Remembered:
    """Return what journal, or else the last collection before the deletion, knows of it."""
    if one.deletion is not None:
        return one.deletion.known
    last = workspace.store.last_with(one.left.key)
    if last is None:
        return Remembered()
    past = workspace.store.load(last.facts.finished)
    return remembered_by(past, one.left, f"the collection of {when(last.facts.started)}")
