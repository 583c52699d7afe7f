"""The table of reviews."""

import json
from dataclasses import asdict
from datetime import datetime

from adzeguard.core.cleaning.reviewed import Answer, Item, Review
from adzeguard.core.errors import StoreDamagedError, UsageError
from adzeguard.store.connection import Database
from adzeguard.store.kept import believed, note_kept


class Reviews:
    """All reviews that ever were, with their answers."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Review]:
        """Return them in the order in which they were begun."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id, body FROM review")
            good = believed(self._database, connection, "review")
        return sorted(
            (_read(body) for key, body in rows if good is None or key in good), key=lambda one: int(one.id[1:])
        )

    def one(self, review_id: str) -> Review:
        """Return one; `UsageError` where there is none of that name."""
        found = next((one for one in self.all() if one.id.casefold() == review_id.casefold()), None)
        if found is None:
            raise UsageError(f"there is no review '{review_id}'", "See: adzeguard review list")
        return found

    def write(self, review: Review) -> None:
        """Write one, over what stood of it."""
        body = asdict(review) | {"made_at": review.made_at.isoformat(), "until": review.until.isoformat()}
        with self._database.writing() as connection:
            connection.run("DELETE FROM review WHERE id = ?", (review.id,))
            connection.run("INSERT INTO review (id, body) VALUES (?, ?)", (review.id, json.dumps(body)))
            note_kept(connection, "review", [review.id])


def _read(body: str) -> Review:
    try:
        given = json.loads(body)
        times = {key: datetime.fromisoformat(given[key]) for key in ("made_at", "until")}
        items = tuple(Item(**{**item, "entries": tuple(item["entries"])}) for item in given["items"])
        answers = {key: Answer(**answer) for key, answer in given["answers"].items()}
        return Review(**{**given, **times, "items": items, "answers": answers})
    except (ValueError, KeyError, TypeError) as error:
        raise StoreDamagedError(f"a review cannot be read ({error})") from error
