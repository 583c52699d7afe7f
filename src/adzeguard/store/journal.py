"""The journal: every change made, by whom, why and under which rule, as a chain of hashes."""

import json
from collections.abc import Iterator, Mapping
from dataclasses import field
from datetime import UTC, datetime
from typing import Any

from adzeguard.core.change.outcome import MADE, Outcome, Status
from adzeguard.core.values import dataclass
from adzeguard.store.chain import COLUMNS, FIRST, FORMAT, append_row, hash_of, last_row
from adzeguard.store.connection import Connection, Database, Row, one
from adzeguard.store.journal_head import JournalHead
from adzeguard.store.kept import entries_of, gather_anew
from adzeguard.store.pending import note_pending
from adzeguard.store.put_in import note


@dataclass(frozen=True, slots=True)
class JournalRow:
    """One row. `kind` is begin, intent, outcome or end; rows of one enactment share its name.

    One of the kind kept tells what was written beside the journal, and is of no enactment. `body` is empty where
    it cannot be read, and `trouble` then says why.
    """

    seq: int
    at: str
    by: str
    kind: str
    enactment: str
    body: dict[str, Any] = field(hash=False)
    hash: str
    format: int = FORMAT
    trouble: str = ""


class Journal:
    """Rows are only ever appended; each carries the hash of the one before it."""

    def __init__(self, database: Database, head: JournalHead | None = None) -> None:
        """`head` keeps where the journal ends, so that a cut end is missed."""
        self._database = database
        self._head = head

    def append(
        self, kind: str, enactment: str, body: Mapping[str, Any], at: datetime, by: str, outcome: Outcome | None = None
    ) -> int:
        """Write one row and see it on the disk before returning its number.

        `outcome` is what the row tells: what its change puts in, and whether it waits for its host, is noted with the
        row, or not at all.
        """
        with self._database.writing() as connection:
            kept = _noted(connection, outcome, at) if outcome is not None else {}
            missing = self._missing(connection)
            written = append_row(connection, kind, enactment, {**body, **kept}, at, by)
        if self._head is not None:
            self._head.note(written, missing)
        return written.seq

    def see_end(self) -> None:
        """Keep where the journal ends, where something was written that tells of no enactment."""
        if self._head is None:
            return
        with self._database.reading() as connection:
            end, missing = last_row(connection), self._missing(connection)
        if end is not None and end != self._head.last():
            self._head.note(end, missing)

    def _missing(self, connection: Connection) -> str:
        """Say what is missing of the rows that were written from here before; an empty text if all are there."""
        last = self._head.last() if self._head is not None else None
        if last is None:
            return ""
        there = one(connection, "SELECT hash FROM journal WHERE seq = ?", (last.seq,))
        if there is not None and there[0] == last.hash:
            return ""
        end = (one(connection, "SELECT max(seq) FROM journal") or (0,))[0] or 0
        if end < last.seq:
            return f"rows {end + 1} to {last.seq}, which were written from here, are cut off the end"
        return f"row {last.seq}, which was written from here, is another one now"

    def rows(self, limit: int | None = None, enactment: str = "", since: datetime | None = None) -> list[JournalRow]:
        """Return the latest rows in their order; all of one enactment, or since a moment, where it is named."""
        asked = {"enactment = ?": enactment, "at >= ?": since.isoformat() if since is not None else ""}
        values = [value for value in asked.values() if value]
        where = "WHERE " + " AND ".join(words for words, value in asked.items() if value) if values else ""
        last = f"LIMIT {int(limit)}" if limit is not None else ""
        query = f"SELECT {COLUMNS} FROM journal {where} ORDER BY seq DESC {last}"
        with self._database.reading() as connection:
            rows = connection.rows(query, values)
        return [_read(row) for row in reversed(rows)]

    def enactments(self, limit: int | None = None) -> list[str]:
        """Return the names of enactments, the latest first."""
        last = f"LIMIT {int(limit)}" if limit is not None else ""
        query = f"SELECT enactment FROM journal WHERE enactment <> '' GROUP BY enactment ORDER BY max(seq) DESC {last}"
        with self._database.reading() as connection:
            return [str(name) for (name,) in connection.rows(query)]

    def row(self, seq: int) -> JournalRow | None:
        """Return one row by its number; None if there is none."""
        with self._database.reading() as connection:
            found = one(connection, f"SELECT {COLUMNS} FROM journal WHERE seq = ?", (seq,))
        return _read(found) if found is not None else None

    def after(self, seq: int, limit: int) -> list[JournalRow]:
        """Return so many rows after one by its number, in their order."""
        query = f"SELECT {COLUMNS} FROM journal WHERE seq > ? ORDER BY seq LIMIT {int(limit)}"
        with self._database.reading() as connection:
            return [_read(row) for row in connection.rows(query, (seq,))]

    def ended(self, limit: int, until: datetime | None = None) -> list[JournalRow]:
        """Return the last rows of enactments that ended, by a moment if one is given, the latest first."""
        then, given = (" AND at <= ?", (until.astimezone(UTC).isoformat(),)) if until is not None else ("", ())
        query = f"SELECT {COLUMNS} FROM journal WHERE kind = 'end'{then} ORDER BY seq DESC LIMIT {int(limit)}"
        with self._database.reading() as connection:
            return [_read(row) for row in connection.rows(query, given)]

    def unfinished(self) -> list[JournalRow]:
        """Return all rows of the last enactment that never ended, if there is one."""
        query = (
            "SELECT enactment FROM journal WHERE kind = 'begin' AND enactment NOT IN"
            " (SELECT enactment FROM journal WHERE kind = 'end') ORDER BY seq DESC LIMIT 1"
        )
        with self._database.reading() as connection:
            begun = one(connection, query)
        return self.rows(enactment=str(begun[0])) if begun is not None else []

    def unreached(self, since: datetime) -> list[str]:
        """Return the enactments that ended since a moment and whose rows tell of anything that was not reached."""
        query = (
            "SELECT DISTINCT enactment FROM journal WHERE kind = 'outcome' AND at >= ? AND body LIKE ?"
            " AND enactment IN (SELECT enactment FROM journal WHERE kind = 'end') ORDER BY enactment"
        )
        with self._database.reading() as connection:
            return [str(name) for (name,) in connection.rows(query, (since.isoformat(), '%"status": "unreachable"%'))]

    def last_of_kind(self, kind: str) -> str | None:
        """Return which enactment wrote the last row of a kind, or nothing when there is none."""
        query = "SELECT enactment FROM journal WHERE kind = ? ORDER BY seq DESC LIMIT 1"
        with self._database.reading() as connection:
            last = one(connection, query, (kind,))
        return str(last[0]) if last is not None else None

    def broken_at(self) -> Iterator[str]:
        """Yield one line for each row that was changed, is missing or stands out of order."""
        expected, previous = 1, FIRST
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT {COLUMNS} FROM journal ORDER BY seq")
        for *values, before, digest, written_as in rows:
            seq = values[0]
            if seq != expected:
                yield f"rows {expected} to {seq - 1} are missing"
            if before != previous and seq == expected:
                yield f"row {seq} does not follow the row before it"
            if hash_of(values, before, written_as) != digest:
                yield f"row {seq} was changed after it was written"
            expected, previous = seq + 1, digest
        if self._head is not None:
            yield from self._head.missed()
            with self._database.reading() as connection:
                missing = self._missing(connection)
            yield from [missing] if missing else []

    def count(self) -> int:
        """Return how many rows there are."""
        with self._database.reading() as connection:
            return int((one(connection, "SELECT count(*) FROM journal") or (0,))[0])


def _noted(connection: Connection, outcome: Outcome, at: datetime) -> dict[str, Any]:
    """Note what an outcome puts in and leaves waiting; return what its row tells of that."""
    touched = {"pending": note_pending(connection, outcome, at), "put_in": []}
    if outcome.status in MADE:
        touched["put_in"] = note(connection, outcome.change)
    elif outcome.status == Status.PUT_BACK:
        gather_anew(connection)
    entries = {table: entries_of(connection, table, keys) for table, keys in touched.items() if keys}
    return {"kept": entries} if entries else {}


def _read(row: Row) -> JournalRow:
    seq, at, by, kind, enactment, text, _, digest, written_as = row
    trouble = ""
    try:
        body = json.loads(text)
    except (ValueError, RecursionError):
        body, trouble = {}, "its body is no JSON"
    if not isinstance(body, dict):
        body, trouble = {}, "its body is not what a row holds"
    if written_as > FORMAT:
        trouble = f"it is written in form {written_as}, and this program reads up to {FORMAT}"
    return JournalRow(seq, at, by, kind, enactment, body, digest, written_as, trouble)
