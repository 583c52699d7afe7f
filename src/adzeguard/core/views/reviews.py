"""Reviews: whose, until when, and how far they are."""

from collections.abc import Sequence
from datetime import datetime

from adzeguard.core.cleaning.reviewed import TAKE_OUT, Review
from adzeguard.core.views.table import Column, Table, data_columns


def reviews_table(reviews: Sequence[Review], now: datetime) -> Table:
    """Return one row for each."""
    rows = [
        {
            "id": one.id,
            "owner": one.owner,
            "made_at": one.made_at,
            "until_at": one.until,
            "items": len(one.items),
            "answered": len(one.items) - one.unanswered,
            "take_out": sum(answer.answer == TAKE_OUT for answer in one.answers.values()),
            "overdue": bool(one.unanswered) and one.until < now,
            "state": "overdue" if one.unanswered and one.until < now else "waits" if one.unanswered else "answered",
        }
        for one in reviews
    ]
    columns = (
        Column("id", "Review", fixed=True),
        Column("owner", "Owner"),
        *data_columns("made_at"),
        Column("until_at", "Until", kind="moment"),
        Column("items", "Lines", kind="number"),
        Column("answered", "Answered", kind="number"),
        Column("take_out", "To take out", kind="number"),
        *data_columns("overdue"),
        Column("state", "State", for_people=True),
    )
    return Table(rows, columns, "", "", "No review was begun: adzeguard review start")
