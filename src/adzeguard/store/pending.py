"""Changes of hosts that did not answer: what is left for the day when they do, kept with each row of the journal."""

import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome
from adzeguard.core.change.proposal import FORMAT
from adzeguard.core.change.written import read_change
from adzeguard.core.errors import ProposalFileError
from adzeguard.store.connection import Connection, Database

_COLUMNS = "claim, host, since, tries, detail, format, change"


@dataclass(frozen=True, slots=True)
class Pending:
    """One change that waits for its host: since when, how often it was tried, and why it came to nothing last."""

    change: Change
    since: datetime
    tries: int
    detail: str


class PendingChanges:
    """The table of them. A change that is made, refused or found done in any way is taken out."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Pending]:
        """Return them by host, oldest first; one that a newer version wrote is left alone."""
        query = f"SELECT {_COLUMNS} FROM pending ORDER BY host, since, claim"
        with self._database.reading() as connection:
            rows = connection.rows(query)
        found = []
        for _, _, since, tries, detail, written_as, text in rows:
            try:
                change = read_change(json.loads(text), written_as)
            except (ValueError, ProposalFileError):
                continue
            found.append(Pending(change, datetime.fromisoformat(since), tries, detail))
        return found

    def oldest(self) -> tuple[int, datetime | None]:
        """Return how many hosts are waited for, and since when the longest."""
        with self._database.reading() as connection:
            count, since = connection.rows("SELECT count(DISTINCT host), min(since) FROM pending")[0]
        return int(count), datetime.fromisoformat(since) if since else None

    def forget(self, changes: Iterable[Change]) -> None:
        """Forget what nobody asks for any more."""
        with self._database.writing() as connection:
            connection.run_many("DELETE FROM pending WHERE claim = ?", [(_claim(change),) for change in changes])


def note_pending(connection: Connection, outcome: Outcome, at: datetime) -> None:
    """Note what became of a change of a host: it waits, with its first try kept, or it waits no longer."""
    change = outcome.change
    if not change.host_name:
        return
    if not outcome.waits:
        connection.run("DELETE FROM pending WHERE claim = ?", (_claim(change),))
        return
    text = json.dumps(change.model_dump(mode="json"), sort_keys=True)
    connection.run(
        f"INSERT INTO pending ({_COLUMNS}) VALUES (?, ?, ?, 1, ?, ?, ?) ON CONFLICT (claim) DO UPDATE"
        " SET tries = pending.tries + 1, detail = excluded.detail, format = excluded.format, change = excluded.change",
        (_claim(change), change.host_name.casefold(), at.isoformat(), outcome.detail, FORMAT, text),
    )


def _claim(change: Change) -> str:
    return json.dumps(change.key)
