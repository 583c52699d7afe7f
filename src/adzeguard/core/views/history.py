"""Who was put into groups and taken out, by whom and when."""

from collections.abc import Mapping, Sequence
from typing import Any

from adzeguard.core.views.table import Column, Table, data_columns


def history_table(rows: Sequence[Mapping[str, Any]], group: str) -> Table:
    """Return one row for each event, newest first."""
    shown = [{**row, "what": f"{row['verb']} {row['member']}", "way": _way(row), "now": _now(row)} for row in rows]
    columns = (
        Column("time", "When", kind="moment"),
        *data_columns("verb", "group", "group_sid", "member", "member_sid", "via"),
        Column("what", "What", for_people=True, wide=True),
        Column("way", "Group", for_people=True),
        Column("by", "By"),
        *data_columns("by_sid"),
        Column("from", "From"),
        *data_columns("source", "declared", "still"),
        Column("now", "Now", for_people=True),
    )
    title = f"History of {group}" if group else "History"
    return Table(
        shown, columns, f"{title} ({len(rows)})", empty="Nothing is known. Read a log: adzeguard trail import FILE"
    )


def _way(row: Mapping[str, Any]) -> str:
    return f"{row['group']} (leads in)" if row["via"] else str(row["group"])


def _now(row: Mapping[str, Any]) -> str:
    if row["still"]:
        return "inside" if row["verb"] == "added" else "out"
    return f"for {row['held']}" if row["held"] else "not any more"
