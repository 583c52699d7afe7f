"""How memberships differed from one collection to the next, where nothing else tells when they were changed."""

from collections.abc import Iterator
from datetime import UTC, datetime

import numpy as np

from adzeguard.core.values import dataclass
from adzeguard.store.connection import Database


@dataclass(frozen=True, slots=True)
class Seen:
    """A member that was listed in a group, or was not any more, at one collection and not at the one before."""

    group: int
    member: int
    added: bool
    after: datetime
    """The collection before, at which it was not so yet."""
    at: datetime


def changes_seen(database: Database) -> Iterator[Seen]:
    """Yield every difference between two collections, those by a primary group among them, group by group."""
    with database.reading() as connection:
        times = [
            (int(number), datetime.fromtimestamp(finished, UTC))
            for number, finished in connection.rows("SELECT id, finished FROM collection ORDER BY id")
        ]
        rows = connection.rows(
            "SELECT group_id, since, until, nested, people, primaries FROM membership WHERE group_id IN"
            " (SELECT group_id FROM membership WHERE until IS NOT NULL UNION SELECT group_id FROM membership"
            " WHERE since > 1 AND since > (SELECT min(id) FROM collection)) ORDER BY group_id, since"
        )
    finished = dict(times)
    before = dict(zip([number for number, _ in times][1:], [moment for _, moment in times], strict=False))
    last_group, last_until, last = -1, None, frozenset[int]()
    for group, since, until, *runs in rows:
        if group != last_group:
            last_group, last_until, last = group, None, frozenset()
        if last_until is not None and last_until != since:
            last = frozenset()  # the group was gone for a while
        now = frozenset(int(i) for run in runs for i in np.frombuffer(run, "<i4"))
        if since in before:
            for member in sorted(now ^ last):
                yield Seen(int(group), member, member in now, before[since], finished[since])
        last, last_until = now, until
