"""The names of those of other domains, as they were answered last."""

from collections.abc import Iterable

from adzeguard.core.estate.foreign import ForeignName
from adzeguard.store.connection import Database

_COLUMNS = "sid, name, kind, state, asked_at"


class ForeignNames:
    """The table of names."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> dict[str, ForeignName]:
        """Return every answer, by SID."""
        with self._database.reading() as connection:
            return {str(row[0]): ForeignName(*row) for row in connection.rows(f"SELECT {_COLUMNS} FROM foreign_name")}

    def keep(self, answers: Iterable[ForeignName]) -> None:
        """Keep answers in the place of earlier ones."""
        query = (
            f"INSERT INTO foreign_name ({_COLUMNS}) VALUES (?, ?, ?, ?, ?) ON CONFLICT (sid) DO UPDATE SET"
            " name = excluded.name, kind = excluded.kind, state = excluded.state, asked_at = excluded.asked_at"
        )
        rows = [(one.sid, one.name, one.kind, one.state, one.asked_at) for one in answers]
        with self._database.writing() as connection:
            connection.run_many(query, rows)
