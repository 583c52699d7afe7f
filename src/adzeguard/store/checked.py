"""What the last check found, so that one screen can show it without checking again."""

import json
from dataclasses import field
from datetime import datetime
from typing import Final

from adzeguard.core.values import dataclass
from adzeguard.store.connection import Database, one

_LAST: Final = 1
"""The row of the last check of all; those of weeks have the year and the week as their number."""


@dataclass(frozen=True, slots=True)
class LastCheck:
    """When it was, of which collection, and how many findings of each severity there were."""

    at: datetime
    collection: int
    counts: dict[str, int]
    checks: dict[str, int] = field(default_factory=dict)
    """By check, how many findings there were that matter."""
    mendable: int = 0
    """How many of them a proposal would put right."""


class Checked:
    """The row about the last check."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def note(self, check: LastCheck, patience: float | None = None) -> None:
        """Write it over the one before, and over the one before of its week; `StoreBusyError` if that takes longer."""
        year, week, _ = check.at.isocalendar()
        counts, checks = json.dumps(check.counts), json.dumps(check.checks)
        with self._database.writing(patience) as connection:
            for row in (_LAST, year * 100 + week):
                connection.run(
                    "INSERT INTO checked (id, at, collection, counts, checks, mendable) VALUES (?, ?, ?, ?, ?, ?)"
                    " ON CONFLICT (id) DO UPDATE SET at = excluded.at, collection = excluded.collection,"
                    " counts = excluded.counts, checks = excluded.checks, mendable = excluded.mendable",
                    (row, check.at.isoformat(), check.collection, counts, checks, check.mendable),
                )

    def by_week(self) -> dict[str, dict[str, int]]:
        """Return by week, such as 2026-W48, the counts of the last check in it, oldest first."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id, counts FROM checked WHERE id > ? ORDER BY id", (_LAST,))
        return {f"{number // 100}-W{number % 100:02}": json.loads(counts) for number, counts in rows}

    def last(self) -> LastCheck | None:
        """Return it, or nothing before the first check."""
        with self._database.reading() as connection:
            row = one(connection, "SELECT at, collection, counts, checks, mendable FROM checked WHERE id = 1")
        if row is None:
            return None
        at, collection, counts, checks, mendable = row
        return LastCheck(datetime.fromisoformat(at), collection, json.loads(counts), json.loads(checks), mendable)
