"""The tables of what is put away, and of what was brought back."""

import json
from dataclasses import asdict
from datetime import datetime
from typing import Final

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.time.put_away import Link, Retired
from adzeguard.store.connection import Database
from adzeguard.store.kept import believed, note_kept

_TIMES: Final = ("at", "until")


class RetiredThings:
    """Notes of what is put away, one for each thing."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Retired]:
        """Return them, the oldest first; whether a thing lies where it was put, the estate alone tells."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id, body FROM retired")
            good = believed(self._database, connection, "retired")
        return sorted(
            (_read(body) for key, body in rows if good is None or key in good),
            key=lambda one: (one.at, one.name.casefold()),
        )

    def write(self, one: Retired) -> None:
        """Write one, over what was noted of the same thing."""
        body = asdict(one) | {key: getattr(one, key).isoformat() for key in _TIMES}
        with self._database.writing() as connection:
            connection.run("DELETE FROM retired WHERE id = ?", (one.id,))
            connection.run("INSERT INTO retired (id, body) VALUES (?, ?)", (one.id, json.dumps(body)))
            note_kept(connection, "retired", [one.id])

    def take_out(self, note_id: str) -> None:
        """Forget one."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM retired WHERE id = ?", (note_id,))
            note_kept(connection, "retired", [note_id])

    def brought_back(self) -> dict[str, datetime]:
        """Return by the ids of notes when their things were brought back last."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id, at FROM brought_back")
            good = believed(self._database, connection, "brought_back")
        return {str(key): datetime.fromisoformat(at) for key, at in rows if good is None or key in good}

    def note_back(self, one: Retired, at: datetime) -> None:
        """Note that a thing was brought back. Its note is kept, since an undo may put it away again."""
        with self._database.writing() as connection:
            connection.run(
                "INSERT INTO brought_back (id, at) VALUES (?, ?) ON CONFLICT (id) DO UPDATE SET at = excluded.at",
                (one.id, at.isoformat()),
            )
            note_kept(connection, "brought_back", [one.id])


def _read(body: str) -> Retired:
    try:
        given = json.loads(body)
        times = {key: datetime.fromisoformat(given[key]) for key in _TIMES}
        links = tuple(Link(**link) for link in given["links"])
        return Retired(**{**given, **times, "groups": tuple(given["groups"]), "links": links})
    except (ValueError, KeyError, TypeError) as error:
        raise StoreDamagedError(f"a note of what is put away cannot be read ({error})") from error
