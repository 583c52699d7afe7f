"""The table of letters: what somebody is to be told, kept until it was."""

import json
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from adzeguard.core.values import dataclass
from adzeguard.store.connection import Connection, Database
from adzeguard.store.kept import believed, note_kept


@dataclass(frozen=True, slots=True)
class Kept:
    """A letter that waits: which way it goes, to whom, what, how often it was tried, and what went wrong last."""

    id: int
    teller: str
    kind: str
    to: str
    made_at: datetime
    body: Mapping[str, Any]
    tries: int
    detail: str


class Letters:
    """What waits to be told. What was told is taken out."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def waiting(self) -> list[Kept]:
        """Return it, oldest first."""
        query = "SELECT id, teller, kind, recipient, made_at, body, tries, detail FROM letter ORDER BY id"
        with self._database.reading() as connection:
            rows = connection.rows(query)
            good = believed(self._database, connection, "letter")
        return [
            Kept(number, teller, kind, to, datetime.fromisoformat(made), json.loads(body), tries, detail)
            for number, teller, kind, to, made, body, tries, detail in rows
            if good is None or str(number) in good
        ]

    def told(self, letters: Iterable[int]) -> None:
        """Take out what was told."""
        with self._database.writing() as connection:
            gone = [(one,) for one in letters]
            connection.run_many("DELETE FROM letter WHERE id = ?", gone)
            note_kept(connection, "letter", [str(one) for (one,) in gone])

    def failed(self, letters: Iterable[int], detail: str) -> None:
        """Note that it could not be told, and why."""
        with self._database.writing() as connection:
            query = "UPDATE letter SET tries = tries + 1, detail = ? WHERE id = ?"
            tried = [(detail, one) for one in letters]
            connection.run_many(query, tried)
            note_kept(connection, "letter", [str(one) for _, one in tried])


def keep_letters(
    connection: Connection, letters: Sequence[tuple[str, str, str, Mapping[str, Any]]], made_at: datetime
) -> None:
    """Keep letters, each with its way, kind and recipient, in the transaction of what they tell of."""
    row = connection.rows("SELECT coalesce(max(number), 0) FROM letter_number")
    first = int(row[0][0]) + 1
    # Numbers are never given twice, also when the letter has gone: mail is known again by them.
    connection.run("DELETE FROM letter_number")
    connection.run("INSERT INTO letter_number (number) VALUES (?)", (first + len(letters),))
    connection.run_many(
        "INSERT INTO letter (id, teller, kind, recipient, made_at, body, tries, detail)"
        " VALUES (?, ?, ?, ?, ?, ?, 0, '')",
        [
            (first + place, teller, kind, to, made_at.isoformat(), json.dumps(body, ensure_ascii=True))
            for place, (teller, kind, to, body) in enumerate(letters)
        ],
    )
    note_kept(connection, "letter", [str(first + place) for place in range(len(letters))])
