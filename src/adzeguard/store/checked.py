"""What the last check found, so that one screen can show it without checking again."""

import json
from dataclasses import dataclass
from datetime import datetime

from adzeguard.store.connection import Database, one


@dataclass(frozen=True, slots=True)
class LastCheck:
    """When it was, of which collection, and how many findings of each severity there were."""

    at: datetime
    collection: int
    counts: dict[str, int]


class Checked:
    """The row about the last check."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def note(self, check: LastCheck) -> None:
        """Write it over the one before."""
        with self._database.writing() as connection:
            connection.run(
                "INSERT INTO checked (id, at, collection, counts) VALUES (1, ?, ?, ?) ON CONFLICT (id) DO UPDATE"
                " SET at = excluded.at, collection = excluded.collection, counts = excluded.counts",
                (check.at.isoformat(), check.collection, json.dumps(check.counts)),
            )

    def last(self) -> LastCheck | None:
        """Return it, or nothing before the first check."""
        with self._database.reading() as connection:
            row = one(connection, "SELECT at, collection, counts FROM checked WHERE id = 1")
        return LastCheck(datetime.fromisoformat(row[0]), row[1], json.loads(row[2])) if row else None
