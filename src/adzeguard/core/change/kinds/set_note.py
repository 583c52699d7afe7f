"""A note of ours changes: until when a lease runs, when a shift is worked, what is left as it is or put away."""

from collections.abc import Callable, Mapping
from datetime import datetime
from functools import cache
from typing import Any, ClassVar, Final, Literal, Self

from pydantic import TypeAdapter, model_validator

from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE, About, Change, Key, Order
from adzeguard.core.estate.named import Named
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.put_away import Retired
from adzeguard.core.time.question import Waiver
from adzeguard.core.time.shift import Shift
from adzeguard.core.wording import when_utc

Note = Lease | Shift | Waiver | Retired
Table = Literal["lease", "shift", "waiver", "retired"]
TABLES: Mapping[Table, type[Note]] = {"lease": Lease, "shift": Shift, "waiver": Waiver, "retired": Retired}
IN_PROPOSALS: Final = frozenset({"retired"})
"""The notes that come with changes of the directory, and so out of a file too."""
Written = dict[str, Any]
"""A note as JSON has it."""


class SetNote(Change):
    """A note is expected to be `before`, and is `after` afterwards; None where there is none."""

    kind: Literal["set-note"] = "set-note"
    order: ClassVar[Order] = Order.ALTER
    in_person: ClassVar[bool] = True
    table: Table
    note: str
    """Its id."""
    group: Named | None = None
    member: Named | None = None
    on_host: str = ""
    """The host whose local group it is about, which nothing is written to."""
    before: Written | None
    after: Written | None

    @model_validator(mode="after")
    def _are_notes(self) -> Self:
        """Refuse what is no note of its table, with pydantic's own words."""
        for written in (self.before, self.after):
            if written is not None and written_note(self.table, written).id != self.note:
                raise ValueError("a note has one id")
        return self

    @property
    def is_note(self) -> bool:
        """It is one."""
        return True

    @property
    def target(self) -> str:
        """Nothing but the workspace itself is written to."""
        return "workspace"

    @property
    def key(self) -> Key:
        """The note."""
        return ("note", self.table, self.note)

    @property
    def about(self) -> About:
        """The group and the member that it is about."""
        noted = self.after or self.before or {}
        thing = str(noted.get("name", "")) if self.table == "retired" else ""
        return About(self.group.name if self.group else "", self.member.name if self.member else "", thing)

    @property
    def widens(self) -> bool:
        """Whether somebody is let be somewhere for longer, or at other times, by it."""
        after = written_note(self.table, self.after) if self.after is not None else None
        before = written_note(self.table, self.before) if self.before is not None else None
        if isinstance(after, Lease):
            return after.is_open and (not isinstance(before, Lease) or after.until > before.until)
        if isinstance(after, Waiver):
            # What is left as it is stands for longer than the rule lets it.
            return after.ended is None and (not isinstance(before, Waiver) or after.until > before.until)
        return isinstance(after, Shift) and after.ended is None

    def in_words(self) -> str:
        """Return what is noted, with what it was."""
        if self.table == "retired":
            noted = written_note(self.table, self.after or self.before or {})
            verb = "note" if self.after is not None else "forget"
            return f"{verb} that {_said(noted)}"
        if self.after is None:
            return f"forget {self.table} {self.note}"
        return f"note {self.table} {self.note}: {_said(written_note(self.table, self.after))}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the note that stood before, unless it stands again."""
        if not isinstance(last, SetNote) or last.after == self.before:
            return None
        return self.model_copy(
            update={
                "id": "",
                "rule": UNDO_RULE,
                "why": self.undone_why(),
                "before": last.after,
                "after": self.before,
            }
        )

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it as it is: a note says itself whom it is about."""
        del renaming
        return self


def set_note(
    before: Note | None,
    after: Note | None,
    why: str,
    *,
    group: Named | None = None,
    member: Named | None = None,
    on_host: str = "",
) -> SetNote:
    """Return the change from one state of a note to another; one of them is there.

    `group`, `member` and `on_host` are what a waiver leaves as it is, where it is about such.
    """
    there = after if after is not None else before
    if there is None:
        raise ValueError("a change of no note")
    table = next(name for name, kind in TABLES.items() if isinstance(there, kind))
    named: dict[str, Any] = {"group": group, "member": member, "on_host": on_host}
    if isinstance(there, Lease | Shift):
        named = {
            "group": Named(there.group, there.group_sid),
            "member": Named(there.member, there.member_sid),
            "on_host": there.host,
        }
    return SetNote(
        table=table,
        note=there.id,
        before=as_written(table, before),
        after=as_written(table, after),
        rule=BY_HAND_RULE,
        why=why,
        **named,
    )


def as_written(table: Table, note: Note | None) -> Written | None:
    """Return a note as JSON has it; None for None."""
    written: Written | None = _adapter(table).dump_python(note, mode="json") if note is not None else None
    return written


def written_note(table: Table, written: Written) -> Note:
    """Return the note that JSON says; `ValueError` for what is none."""
    note: Note = _adapter(table).validate_python(written)
    return note


@cache
def _adapter(table: Table) -> TypeAdapter[Any]:
    return TypeAdapter(TABLES[table])


def _said(note: Note) -> str:
    if isinstance(note, Waiver):
        about = f"{note.member} in {note.subject}" if note.member else note.subject
        ended = f", ended {_moment(note.ended)}" if note.ended is not None else ""
        return f"{about} is left until {_moment(note.until)} ({note.rule}){ended}"
    if isinstance(note, Retired):
        return f"{note.name} is put away until {_moment(note.until)}, from {note.dn}"
    where = f"{note.group} of {note.host}" if note.host else note.group
    if isinstance(note, Lease):
        return f"{note.member} is in {where} until {_moment(note.until)}"
    if note.ended is not None:
        return f"{note.member} is in {where} no more by it"
    return f"{note.member} is in {where} from {note.begins:%H:%M} to {note.ends:%H:%M} {note.zone}, {note.rule}"


def _moment(moment: datetime) -> str:
    return when_utc(moment)
