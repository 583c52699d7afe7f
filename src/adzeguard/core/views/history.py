"""Who was put into groups and taken out, by whom and when."""

from collections.abc import Mapping, Sequence
from typing import Any

from adzeguard.core.views.table import Column, LateRows, Row, Table, data_columns
from adzeguard.core.wording import when


def history_table(rows: Sequence[Row], group: str) -> Table:
    """Return one row for each event, newest first."""

    def shown(some: Sequence[Row]) -> list[Row]:
        return [{**row, "when": _when(row), "what": _what(row, group), "now": _now(row)} for row in some]

    columns = (
        *data_columns("happened_at", "verb", "group", "group_sid", "member", "member_sid", "via"),
        Column("when", "When", for_people=True),
        Column("what", "What", for_people=True, wide=True),
        Column("by", "By"),
        *data_columns("by_sid"),
        Column("from", "From", fixed=True),
        *data_columns("source", "declared", "still"),
        Column("now", "Now", for_people=True),
    )
    title = f"History of {group}" if group else "History"
    return Table(
        LateRows(rows, shown),
        columns,
        f"{title} ({len(rows)})",
        empty="Nothing is known. Read a log: adzeguard trail import FILE",
    )


def _when(row: Mapping[str, Any]) -> str:
    if row["after"] is None:
        return when(row["happened_at"], seconds=True)
    return f"after {when(row['after'])}, by {when(row['happened_at'])}"


def _what(row: Mapping[str, Any], group: str) -> str:
    word = "to" if row["verb"] == "added" else "from"
    where = f" {word} {row['group']}" if row["group"] != group else ""
    return f"{row['verb']} {row['member']}{where}{', which leads in' if row['via'] else ''}"


def _now(row: Mapping[str, Any]) -> str:
    if row["still"]:
        return "inside" if row["verb"] == "added" else "out"
    return f"for {row['held']}" if row["held"] else "not any more"
