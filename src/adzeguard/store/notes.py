"""Changes of the notes of a workspace: looked at right before, written, and read back, as any other change."""

from collections.abc import Callable, Mapping
from typing import Any, Final, Protocol

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.judge import Allowed
from adzeguard.core.change.kinds.set_note import Note, SetNote, Table, as_written, written_note
from adzeguard.core.change.looking import look_only, looked_at
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.errors import StoreError
from adzeguard.store.connection import Database
from adzeguard.store.leases import Leases
from adzeguard.store.questions import Waivers
from adzeguard.store.retired import RetiredThings
from adzeguard.store.shifts import Shifts

Intent = Callable[[Change], None]


class _Notes(Protocol):
    def all(self) -> list[Any]: ...
    def write(self, note: Any, /) -> None: ...
    def take_out(self, note_id: str, /) -> None: ...


_TABLES: Final[Mapping[Table, Callable[[Database], _Notes]]] = {
    "lease": Leases,
    "shift": Shifts,
    "waiver": Waivers,
    "retired": RetiredThings,
}


def make_note(database: Database, allowed: Allowed, intent: Intent) -> Outcome:
    """Write one note, where it still stands as the proposal saw it."""
    return _made(database, allowed.change, intent)


def seen_note(database: Database, change: Change) -> Outcome | None:
    """Look, without writing, what would become of a change now; None where it would be written."""
    return looked_at(lambda: _made(database, change, look_only))


def _made(database: Database, change: Change, intent: Intent) -> Outcome:
    if not isinstance(change, SetNote):
        return Outcome(change, Status.UNSUPPORTED, f"a workspace has no change of the kind {change.kind}")
    notes = _TABLES[change.table](database)
    standing = as_written(change.table, _note(notes, change.note))
    if standing == change.after:
        return Outcome(change, Status.CONFLICT, "it is so already", already=True)
    if standing != change.before:
        return Outcome(change, Status.CONFLICT, f"{change.table} {change.note} is another one by now")
    try:
        after = written_note(change.table, change.after) if change.after is not None else None
    except ValueError:
        return Outcome(change, Status.REFUSED, f"it is no {change.table}")
    intent(change)
    try:
        if after is None:
            notes.take_out(change.note)
        else:
            notes.write(after)
    except StoreError as error:
        return Outcome(change, Status.UNREACHABLE, error.message)
    done = as_written(change.table, _note(notes, change.note)) == change.after
    return Outcome(change, Status.VERIFIED if done else Status.DIFFERS, "" if done else "read back otherwise")


def _note(notes: _Notes, note_id: str) -> Note | None:
    return next((one for one in notes.all() if one.id == note_id), None)
