"""The journal for people and for programs: enactments, the changes of one, or every row."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.errors import StoreError
from adzeguard.core.values import dataclass
from adzeguard.core.views.table import Column, Noted, Table, data_columns
from adzeguard.core.wording import counted_noun, some_of, when
from adzeguard.store.journal import Journal, JournalRow
from adzeguard.workflows.journal_rows import change_of, in_words, proposal_in

_CHANGES_SHOWN: Final = 2
_WHYS_SHOWN: Final = 2


@dataclass(frozen=True, slots=True)
class Sought:
    """Which enactments are looked for: by whom, about what, since when; and how many of the latest."""

    limit: int
    by: str = ""
    about: str = ""
    since: datetime | None = None

    @property
    def is_all(self) -> bool:
        """Whether nothing but the number is said."""
        return not (self.by or self.about or self.since)


def rows_sought(journal: Journal, sought: Sought) -> list[JournalRow]:
    """Return all rows of the latest enactments that are looked for, in their order."""
    names = journal.enactments(None if not sought.is_all else sought.limit)
    found: list[list[JournalRow]] = []
    for name in names:  # the latest first: the search ends with as many as are wanted
        rows = journal.rows(enactment=name)
        if _is_sought(rows, sought):
            found.append(rows)
        if len(found) == sought.limit or (sought.since is not None and _at(rows[0]) < sought.since):
            break
    return sorted((row for rows in found for row in rows), key=lambda row: row.seq)


def _is_sought(rows: Sequence[JournalRow], sought: Sought) -> bool:
    if sought.by and not any(sought.by.casefold() in row.by.casefold() for row in rows):
        return False
    if sought.since is not None and _at(rows[-1]) < sought.since:
        return False
    part = sought.about.casefold()
    return not part or any(part in in_words(row).casefold() for row in rows if row.kind == "intent")


def _at(row: JournalRow) -> datetime:
    try:
        return datetime.fromisoformat(row.at)
    except ValueError:  # a row that was damaged hides no other
        return datetime.max.replace(tzinfo=datetime.now().astimezone().tzinfo)


def enactments_table(rows: Sequence[JournalRow]) -> Table:
    """Return one row for each enactment: when, by whom, what, why, and what became of it."""
    by_name: dict[str, list[JournalRow]] = {}
    for row in rows:
        by_name.setdefault(row.enactment, []).append(row)
    shown = [_enactment(name, of_one) for name, of_one in by_name.items()]
    columns = (
        Column("made_at", "When", kind="moment"),
        Column("by", "By"),
        Column("enactment", "Enactment", fixed=True),
        Column("what", "What", kind="noted", wide=True),
        Column("became", "Became"),
    )
    note = "Each change of one: adzeguard journal --enactment NAME; taken back by: adzeguard undo NAME" if shown else ""
    return Table(shown, columns, "", note, "The journal is empty.")


def _enactment(name: str, rows: Sequence[JournalRow]) -> dict[str, Any]:
    changes = _changes(rows)
    troubles = [in_words(row) for row in rows if row.trouble]
    said = [*troubles, *(change.in_words() for change in changes)] or [in_words(rows[0])]
    whys = list(dict.fromkeys(f"{one.rule}{f': {one.why}' if one.why else ''}".rstrip(".") for one in changes))
    approved = _approved_by(rows)
    notes = whys[:_WHYS_SHOWN] + ([f"and {len(whys) - _WHYS_SHOWN} more"] if len(whys) > _WHYS_SHOWN else [])
    notes += [f"because {reason}" for row in rows[:1] if (reason := str(row.body.get("why") or ""))]
    notes += [f"approved by {approved}"] if approved else []
    statuses = Counter(str(row.body.get("status")) for row in rows if row.kind == "outcome" and not row.trouble)
    became = [f"{count} {status}" for status, count in statuses.items()]
    became += [] if any(row.kind == "end" for row in rows) else ["not ended"]
    return {
        "made_at": _moment(rows[0].at),
        "by": rows[0].by,
        "enactment": name,
        "what": Noted(some_of(said, _CHANGES_SHOWN), " · ".join(notes)),
        "became": ", ".join(became),
    }


def _is_approved(row: JournalRow) -> bool:
    return isinstance(row.body.get("approval"), dict)


def _changes(rows: Iterable[JournalRow]) -> list[Change]:
    """Return the changes of an enactment: as they were proposed, or as each was about to be made.

    What was so already, or was held back, was proposed alone.
    """
    found: dict[str, Change] = {}
    for row in rows:
        try:
            some = proposal_in(row).changes if row.kind == "begin" else [change_of(row)] if row.kind == "intent" else ()
        except StoreError:
            continue
        found |= {change.id: change for change in some}
    return list(found.values())


def every_change_table(rows: Sequence[JournalRow]) -> Table:
    """Return one row for each change of each enactment, the oldest first: all that is known of it, and what became."""
    by_enactment: dict[str, list[JournalRow]] = {}
    for row in rows:
        by_enactment.setdefault(row.enactment, []).append(row)
    shown = [one for of_one in by_enactment.values() for one in _every_change(of_one)]
    columns = (
        Column("made_at", "When", kind="moment"),
        Column("by", "By"),
        *data_columns("enactment", "change", "on", "what", "rule", "why", "outcome", "detail", "approval"),
        Column("said", "What", kind="noted", wide=True, for_people=True),
        Column("became", "Outcome", for_people=True),
    )
    note = counted_noun(len(shown), "change")
    return Table([{**one, **_for_people(one)} for one in shown], columns, "", note, "Nothing was changed.")


def _for_people(one: Mapping[str, Any]) -> dict[str, Any]:
    reason = f"{one['rule']}{': ' if one['why'] else ''}{one['why']}"
    approval = f"approved by {one['approval']}" if one["approval"] else ""
    notes = " · ".join(part for part in (reason, f"{one['enactment']} {one['change']}".strip(), approval) if part)
    where = f" (on {one['on']})" if one["on"] not in ("", "directory") and one["on"] not in str(one["what"]) else ""
    became = f"{one['outcome']}{': ' if one['detail'] else ''}{one['detail']}"
    return {"said": Noted(f"{one['what']}{where}", notes), "became": became}


def _every_change(rows: Sequence[JournalRow]) -> Iterator[dict[str, Any]]:
    outcomes = _outcomes(rows)
    about = {"enactment": rows[0].enactment, "approval": _approved_by(rows)}
    for change in _changes(rows):
        outcome = outcomes.get(change.id)
        became = {"outcome": "not concluded", "detail": ""}
        if outcome is not None:
            became = {"outcome": str(outcome.body.get("status")), "detail": str(outcome.body.get("detail") or "")}
        told = {"on": change.target, "what": change.in_words(), "rule": change.rule, "why": change.why}
        told_by = outcome or rows[0]
        yield {"made_at": _moment(told_by.at), "by": told_by.by, **about, "change": change.id, **told, **became}
    for row in rows:
        if row.trouble:
            unread = {"change": "", "on": "", "what": in_words(row), "rule": "", "why": "", "detail": ""}
            yield {"made_at": _moment(row.at), "by": row.by, **about, **unread, "outcome": "cannot be read"}


def _outcomes(rows: Iterable[JournalRow]) -> dict[str, JournalRow]:
    """Return by the changes of one enactment the last that is told of each."""
    return {str(row.body.get("change")): row for row in rows if row.kind == "outcome" and not row.trouble}


def _approved_by(rows: Iterable[JournalRow]) -> str:
    return next((str(row.body["approval"].get("by")) for row in rows if _is_approved(row)), "")


def changes_table(rows: Sequence[JournalRow]) -> Table:
    """Return one row for each change of an enactment: what, under which rule and why, and what became of it."""
    outcomes = _outcomes(rows)
    shown: list[dict[str, Any]] = [
        {
            "change": change.id,
            "on": change.target,
            "what": Noted(change.in_words(), f"{change.rule}{f': {change.why}' if change.why else ''}"),
            "became": _became(outcomes.get(change.id)),
        }
        for change in _changes(rows)
    ]
    shown += [{"change": "", "on": "", "what": in_words(row), "became": ""} for row in rows if row.trouble]
    columns = (
        Column("change", "Change", fixed=True),
        Column("on", "On"),
        Column("what", "What", kind="noted", wide=True),
        Column("became", "Became", kind="word"),
    )
    title = f"{rows[0].enactment}, {_shown(_moment(rows[0].at))} by {rows[0].by}" if rows else ""
    return Table(shown, columns, title, "", "There is no enactment of that name.")


def _became(row: JournalRow | None) -> str:
    if row is None:
        return "not concluded"
    detail = row.body.get("detail")
    return f"{row.body.get('status')}{f', {detail}' if detail else ''}"


def journal_table(rows: Sequence[JournalRow]) -> Table:
    """Return rows of the journal in words; one that cannot be read says so."""
    shown = [
        {
            "seq": row.seq,
            "made_at": _moment(row.at),
            "by": row.by,
            "kind": row.kind,
            "enactment": row.enactment,
            "what": in_words(row),
            "body": row.body,
            "hash": row.hash,
            "format": row.format,
        }
        for row in rows
    ]
    columns = (
        Column("seq", "Row", kind="number"),
        Column("made_at", "When", kind="moment"),
        Column("by", "By"),
        Column("kind", "Kind"),
        Column("enactment"),
        Column("what", "What", wide=True),
        *data_columns("body", "hash", "format"),
    )
    return Table(shown, columns, "", counted_noun(len(shown), "row"), "The journal is empty.")


def _moment(text: str) -> datetime | str:
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        return text


def _shown(at: datetime | str) -> str:
    return when(at) if isinstance(at, datetime) else at
