"""The table of leases."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Final, cast

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.time.lease import Lease, State
from adzeguard.store.connection import Database

_COLUMNS: Final = (
    "id, member, member_sid, group_name, group_sid, host, begun, until_,"
    ' "by", why, state, stood_before, extended, ended, shift, by_itself, contract'
)
_MARKS: Final = ", ".join("?" * 17)


class Leases:
    """All leases that ever were; none is forgotten."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Lease]:
        """Return them in the order in which they were begun."""
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT {_COLUMNS} FROM lease ORDER BY begun, id")
        return [_read(row) for row in rows]

    def next_id(self) -> str:
        """Return the id of the next one: short, since people type it."""
        with self._database.reading() as connection:
            rows = connection.rows("SELECT id FROM lease")
        return f"L{max((int(str(row[0])[1:]) for row in rows), default=0) + 1}"

    def write(self, lease: Lease) -> None:
        """Write one, over what stood of it."""
        values = (
            lease.id,
            lease.member,
            lease.member_sid,
            lease.group,
            lease.group_sid,
            lease.host,
            lease.begun.isoformat(),
            lease.until.isoformat(),
            lease.by,
            lease.why,
            lease.state,
            int(lease.stood_before),
            lease.extended,
            lease.ended.isoformat() if lease.ended is not None else "",
            lease.shift,
            int(lease.by_itself),
            int(lease.contract),
        )
        with self._database.writing() as connection:
            connection.run("DELETE FROM lease WHERE id = ?", (lease.id,))
            connection.run(f"INSERT INTO lease ({_COLUMNS}) VALUES ({_MARKS})", values)

    def forget(self, lease: Lease) -> None:
        """Forget one that never began."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM lease WHERE id = ? AND state = 'starting'", (lease.id,))

    def take_out(self, note_id: str) -> None:
        """Forget one whose making is taken back."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM lease WHERE id = ?", (note_id,))


def _read(row: Sequence[Any]) -> Lease:
    (lease_id, member, member_sid, group, group_sid, host, begun, until, by, why, state, *rest) = row
    stood_before, extended, ended, shift, by_itself, contract = rest
    try:
        return Lease(
            str(lease_id),
            str(member),
            str(member_sid),
            str(group),
            str(group_sid),
            str(host),
            datetime.fromisoformat(begun),
            datetime.fromisoformat(until),
            by,
            why,
            cast("State", state),
            bool(stood_before),
            int(extended),
            datetime.fromisoformat(ended) if ended else None,
            str(shift),
            bool(by_itself),
            bool(contract),
        )
    except (ValueError, TypeError) as error:
        raise StoreDamagedError(f"the lease {row[0]} cannot be read") from error
