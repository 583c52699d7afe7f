"""Leases, with what is left of them."""

from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.time.lease import LATE_AFTER, Lease
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import length_in_words


def leases_table(leases: Iterable[Lease], now: datetime) -> Table:
    """Return one row for each."""
    rows = [
        {
            "id": one.id,
            "member": one.member,
            "group": one.group,
            "host": one.host,
            "until": one.until,
            "left_seconds": int(one.left(now).total_seconds()),
            "left": _left(one, now),
            "by": one.by,
            "why": one.why,
            "state": one.state,
            "late_seconds": int(one.late(now).total_seconds()),
            "extended": one.extended,
        }
        for one in leases
    ]
    columns = (
        Column("id", "Lease", fixed=True),
        Column("member", "Who"),
        Column("group", "Group"),
        Column("host"),
        Column("until", "Until", kind="moment"),
        *data_columns("left_seconds"),
        Column("left", "Left", for_people=True),
        Column("by", "By"),
        Column("why", "Why", wide=True),
        Column("state", "State", kind="word"),
        *data_columns("late_seconds", "extended"),
    )
    return Table(rows, columns, title=f"Leases: {len(rows)}", empty="No lease runs.")


def _left(lease: Lease, now: datetime) -> str:
    if lease.is_open and lease.until > now:
        return length_in_words(lease.until - now)
    late = lease.late(now)
    word = f", {length_in_words(late)} late" if late > LATE_AFTER else ""
    return ("over" if lease.is_open else "ended") + word
