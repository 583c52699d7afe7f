"""The table of what is put away."""

import json
from dataclasses import asdict
from datetime import datetime
from typing import Final

from adzeguard.core.cleaning.retired import Link, Retired
from adzeguard.core.errors import StoreDamagedError
from adzeguard.store.connection import Database
from adzeguard.store.kept import believed, note_kept

_TIMES: Final = ("at", "until", "back")


class RetiredThings:
    """Notes of what is put away, one for each thing."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Retired]:
        """Return them, the oldest first."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id, body FROM retired")
            good = believed(self._database, connection, "retired")
        return sorted(
            (_read(body) for key, body in rows if good is None or key in good),
            key=lambda one: (one.at, one.name.casefold()),
        )

    def write(self, one: Retired) -> None:
        """Write one, over what was noted of the same thing."""
        times = {key: at.isoformat() for key in _TIMES if (at := getattr(one, key)) is not None}
        body = asdict(one) | times
        with self._database.writing() as connection:
            connection.run("DELETE FROM retired WHERE id = ?", (one.key,))
            connection.run("INSERT INTO retired (id, body) VALUES (?, ?)", (one.key, json.dumps(body)))
            note_kept(connection, "retired", [one.key])

    def forget(self, one: Retired) -> None:
        """Forget one that came back, or is gone."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM retired WHERE id = ?", (one.key,))
            note_kept(connection, "retired", [one.key])


def _read(body: str) -> Retired:
    try:
        given = json.loads(body)
        times = {key: datetime.fromisoformat(given[key]) for key in _TIMES if given.get(key)}
        links = tuple(Link(**link) for link in given["links"])
        return Retired(**{**given, **times, "groups": tuple(given["groups"]), "links": links})
    except (ValueError, KeyError, TypeError) as error:
        raise StoreDamagedError(f"a note of what is put away cannot be read ({error})") from error
