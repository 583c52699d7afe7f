"""Changes of hosts that did not answer: what is left for the day when they do, kept with each row of the journal."""

import json
from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome
from adzeguard.core.change.written_change import FORMAT, read_change
from adzeguard.core.errors import ProposalFileError
from adzeguard.core.values import dataclass
from adzeguard.store.connection import Connection, Database, one
from adzeguard.store.kept import believed, note_kept

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
            good = believed(self._database, connection, "pending")
        found = []
        for claim, _, since, tries, detail, written_as, text in rows:
            if good is not None and claim not in good:
                continue
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
            claims = [(_claim(change),) for change in changes]
            connection.run_many("DELETE FROM pending WHERE claim = ?", claims)
            note_kept(connection, "pending", [claim for (claim,) in claims])


def note_pending(connection: Connection, outcome: Outcome, at: datetime) -> list[str]:
    """Note what became of a change of a host: it waits, with its first try kept, or it waits no longer.

    Returned are the claims of the rows that this wrote or took out, for the row of the journal that it comes with.
    """
    change = outcome.change
    if not change.host_name:
        return []
    claim = _claim(change)
    if not outcome.waits:
        waits = one(connection, "SELECT 1 FROM pending WHERE claim = ?", (claim,)) is not None
        connection.run("DELETE FROM pending WHERE claim = ?", (claim,))
        return [claim] if waits else []
    text = json.dumps(change.model_dump(mode="json"), sort_keys=True)
    connection.run(
        f"INSERT INTO pending ({_COLUMNS}) VALUES (?, ?, ?, 1, ?, ?, ?) ON CONFLICT (claim) DO UPDATE"
        " SET tries = pending.tries + 1, detail = excluded.detail, format = excluded.format, change = excluded.change",
        (claim, change.host_name.casefold(), at.isoformat(), outcome.detail, FORMAT, text),
    )
    return [claim]


def _claim(change: Change) -> str:
    return json.dumps(change.key)
