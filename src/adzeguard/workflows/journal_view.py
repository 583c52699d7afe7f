"""The journal as a table."""

from collections.abc import Sequence
from datetime import datetime

from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.store.journal import JournalRow
from adzeguard.workflows.journal_rows import in_words


def journal_table(rows: Sequence[JournalRow]) -> Table:
    """Return rows of the journal in words; one that cannot be read says so."""
    shown = [
        {
            "seq": row.seq,
            "at": _moment(row.at),
            "by": row.by,
            "kind": row.kind,
            "enactment": row.enactment,
            "what": in_words(row),
            "body": row.body,
            "hash": row.hash,
            "format": row.format,
        }
        for row in rows
    ]
    columns = (
        Column("seq", "Row", kind="number"),
        Column("at", "When", kind="moment"),
        Column("by", "By"),
        Column("kind", "Kind"),
        Column("enactment"),
        Column("what", "What", wide=True),
        *data_columns("body", "hash", "format"),
    )
    return Table(shown, columns, "", f"{len(shown)} rows", "The journal is empty.")


def _moment(text: str) -> datetime | str:
    try:
        return datetime.fromisoformat(text)
    except ValueError:
        return text
