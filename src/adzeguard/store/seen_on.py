"""Whom hosts saw when they were last read: what is there now, and no history of it."""

from collections.abc import Collection, Iterable, Sequence
from datetime import UTC, datetime
from typing import NamedTuple

from adzeguard.core.estate.seen_on import SeenOn
from adzeguard.store.batches import MANY, among, batched
from adzeguard.store.connection import Connection, Database


class Sighting(NamedTuple):
    """Whom a host saw: the SID, the name of the host, how and when."""

    sid: str
    host: str
    how: str
    at: datetime


def write_seen_on(connection: Connection, number: int, told: Iterable[tuple[int, Sequence[SeenOn]]]) -> None:
    """Write whom hosts saw, by their ids, as a collection has read it; of other hosts it stays as it was last told."""
    hosts = list(told)
    connection.run_many("DELETE FROM seen_on WHERE host = ?", [(host,) for host, _ in hosts])
    rows = {(host, str(one.who), one.how): one.at for host, seen in hosts for one in sorted(seen)}
    connection.run_many(
        "INSERT INTO seen_on (host, sid, how, at, collection) VALUES (?, ?, ?, ?, ?)",
        [(*key, at, number) for key, at in rows.items()],
    )


class SeenOnHosts:
    """The table of whom hosts saw."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def of(self, sids: Collection[str]) -> list[Sighting]:
        """Return where some were seen, the oldest first."""
        found = [row for some in batched(sorted(sids), MANY) for row in self._rows(among("s.sid", len(some)), some)]
        return sorted(found, key=lambda one: one.at)

    def at(self, host: int) -> list[Sighting]:
        """Return whom a host saw, by its id, the oldest first."""
        return self._rows("s.host = ?", (host,))

    def _rows(self, condition: str, values: Sequence[object]) -> list[Sighting]:
        query = (
            "SELECT s.sid, o.name, s.how, s.at FROM seen_on s JOIN object o ON o.id = s.host AND o.until IS NULL"
            f" WHERE {condition} ORDER BY s.at, s.sid, s.how"
        )
        with self._database.reading() as connection:
            rows = connection.rows(query, values)
        return [Sighting(sid, host, how, datetime.fromtimestamp(at, UTC)) for sid, host, how, at in rows]
