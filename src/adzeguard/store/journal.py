"""The journal: every change made, by whom, why and under which rule, as a chain of hashes."""

import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from hashlib import sha256
from typing import Any

from sqlalchemy import func, insert, select

from adzeguard.core.errors import StoreError
from adzeguard.store import schema
from adzeguard.store.database import Database

_FIRST = "0" * 64


@dataclass(frozen=True, slots=True)
class JournalRow:
    """One row. `kind` is begin, intent, outcome or end; rows of one enactment share `enact`."""

    seq: int
    at: str
    by: str
    kind: str
    enactment: str
    body: dict[str, Any]
    hash: str


class Journal:
    """Rows are only ever appended; each carries the hash of the one before it."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def append(self, kind: str, enactment: str, body: dict[str, Any], at: datetime, by: str) -> int:
        """Write one row and see it on the disk before returning its number."""
        table = schema.journal
        with self._database.writing() as connection:
            connection.exec_driver_sql(
                "UPDATE about SET value = value WHERE name = 'version'"
            )  # takes the write lock first
            last = connection.execute(select(table.c.seq, table.c.hash).order_by(table.c.seq.desc()).limit(1)).first()
            seq, previous = (last.seq + 1, last.hash) if last else (1, _FIRST)
            text = json.dumps(body, sort_keys=True, ensure_ascii=True)
            values = {"seq": seq, "at": at.isoformat(), "by": by, "kind": kind, "enactment": enactment, "body": text}
            connection.execute(insert(table).values(**values, previous=previous, hash=_hash(values, previous)))
        return seq

    def rows(self, limit: int | None = None, enactment: str = "") -> list[JournalRow]:
        """Return the latest rows in their order; all of one enactment where it is named."""
        table = schema.journal
        query = select(table).order_by(table.c.seq.desc())
        if enactment:
            query = query.where(table.c.enactment == enactment)
        if limit is not None:
            query = query.limit(limit)
        with self._database.reading() as connection:
            found = connection.execute(query).all()
        return [JournalRow(r.seq, r.at, r.by, r.kind, r.enactment, json.loads(r.body), r.hash) for r in reversed(found)]

    def unfinished(self) -> list[JournalRow]:
        """Return all rows of the last enactment when it never ended, else none."""
        begun = self.last_of_kind("begin")
        if begun is None:
            return []
        rows = self.rows(enactment=begun)
        return [] if any(row.kind == "end" for row in rows) else rows

    def last_of_kind(self, kind: str) -> str | None:
        """Return which enactment wrote the last row of a kind, or nothing when there is none."""
        table = schema.journal
        with self._database.reading() as connection:
            found = connection.scalar(
                select(table.c.enactment).where(table.c.kind == kind).order_by(table.c.seq.desc()).limit(1)
            )
        return str(found) if found is not None else None

    def broken_at(self) -> Iterator[str]:
        """Yield one line for each row that was changed, is missing or stands out of order."""
        expected, previous = 1, _FIRST
        with self._database.reading() as connection:
            for row in connection.execute(select(schema.journal).order_by(schema.journal.c.seq)):
                if row.seq != expected:
                    yield f"rows {expected} to {row.seq - 1} are missing"
                if row.previous != previous and row.seq == expected:
                    yield f"row {row.seq} does not follow the row before it"
                values = {name: getattr(row, name) for name in ("seq", "at", "by", "kind", "enactment", "body")}
                if _hash(values, row.previous) != row.hash:
                    yield f"row {row.seq} was changed after it was written"
                expected, previous = row.seq + 1, row.hash

    def count(self) -> int:
        """Return how many rows there are."""
        with self._database.reading() as connection:
            found = connection.scalar(select(func.count()).select_from(schema.journal))
        if found is None:
            raise StoreError("the journal cannot be counted")
        return int(found)


def _hash(values: dict[str, Any], previous: str) -> str:
    return sha256((previous + json.dumps(values, sort_keys=True, ensure_ascii=True)).encode()).hexdigest()
