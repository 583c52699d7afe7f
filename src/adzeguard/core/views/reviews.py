"""Reviews: whose, until when, and how far they are."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from adzeguard.core.cleaning.reviewed import Review
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
            "take_out": one.taken_out,
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


def written_table(written: Iterable[tuple[Review, str]]) -> Table:
    """Return one row for each file that a review was written to."""
    rows = [{"id": one.id, "owner": one.owner, "items": len(one.items), "file": file} for one, file in written]
    columns = (
        Column("id", "Review", fixed=True),
        Column("owner", "Owner"),
        Column("items", "Lines", kind="number"),
        Column("file", "File", wide=True),
    )
    return Table(rows, columns, "", "", "Nothing is asked.")


def taken_table(taken: Iterable[tuple[Review, int]]) -> Table:
    """Return one row for each review of which answers came back."""
    rows = [
        {
            "id": one.id,
            "answers": answers,
            "waiting": one.unanswered,
            "items": len(one.items),
            "take_out": one.taken_out,
        }
        for one, answers in taken
    ]
    columns = (
        Column("id", "Review", fixed=True),
        Column("answers", "Answers", kind="number"),
        Column("waiting", "Still waiting", kind="number"),
        Column("items", "Lines", kind="number"),
        Column("take_out", "To take out", kind="number"),
    )
    return Table(rows, columns)
