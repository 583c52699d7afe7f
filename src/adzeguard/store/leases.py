"""The table of leases."""

from adzeguard.core.time.lease import Lease
from adzeguard.store.kept import note_kept
from adzeguard.store.plain_rows import PlainRows


class Leases(PlainRows[Lease]):
    """All leases that ever were; none is forgotten but those that never began."""

    kind = Lease
    table = "lease"
    letter = "L"

    def forget(self, lease: Lease) -> None:
        """Forget one that never began."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM lease WHERE id = ? AND state = 'starting'", (lease.id,))
            note_kept(connection, self.table, [lease.id])
