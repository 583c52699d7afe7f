"""Listings: the same rows as a table for people, as JSON, or as CSV."""

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from rich.console import Console
from rich.table import Table
from rich.text import Text

from adzeguard.report.safe import for_csv, for_terminal

Format = Literal["table", "json", "csv"]
WIDTH = 100
ROWS_SHOWN = 500
"""Nobody reads longer tables, and laying one out takes as long as everything else together."""
Row = dict[str, Any]

_STYLES = {
    "critical": "bold red", "high": "red", "medium": "yellow", "low": "cyan", "note": "dim",
    "verified": "green", "differs": "bold red", "conflict": "yellow", "refused": "red", "unreachable": "yellow",
    "held-back": "yellow", "unsupported": "yellow", "disabled": "dim",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Column:
    """One column of a table: the key of the rows it shows, and its heading."""

    key: str
    title: str
    right: bool = False
    ratio: int | None = None
    fixed: bool = False


@dataclass(frozen=True)
class Listing:
    """Rows with documented keys, and the columns that a table shows of them.

    Keys that begin with an underscore are for the table alone, and a column that is empty in all rows is left away.
    `note` is said below the table only; `empty` instead of a table without rows.
    """

    rows: Sequence[Row]
    columns: Sequence[Column]
    title: str = ""
    note: str = ""
    empty: str = "Nothing."


def render(listing: Listing, form: Format, *, colour: bool = False) -> str:
    """Return the listing as text that ends with a newline."""
    if form == "json":
        return json.dumps([public(row) for row in listing.rows], indent=2, ensure_ascii=False, default=str) + "\n"
    return _as_csv(listing) if form == "csv" else as_text(listing, colour=colour)


def public(row: Row) -> Row:
    """Return the documented part of a row."""
    return {key: value for key, value in row.items() if not key.startswith("_")}


def _as_csv(listing: Listing) -> str:
    keys = list(dict.fromkeys(key for row in listing.rows for key in public(row))) or [
        c.key for c in listing.columns if c.key[0] != "_"
    ]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(keys)
    writer.writerows([for_csv(cell(row.get(key))) for key in keys] for row in listing.rows)
    return out.getvalue()


def cell(value: Any) -> str:
    """Return a value as one cell: yes and no, chains with arrows."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, dict):
        return json.dumps(value, ensure_ascii=False, default=str)
    if isinstance(value, list | tuple):
        return " > ".join(cell(item) for item in value)
    return str(value)


def as_text(listing: Listing, *, colour: bool) -> str:
    """Return the table for people, at most 100 columns wide."""
    console = text_console(colour=colour)
    if listing.title:
        console.print(Text(for_terminal(listing.title), style="bold"))
    if listing.rows:
        console.print(_table(listing))
        if len(listing.rows) > ROWS_SHOWN:
            more = f"… and {len(listing.rows) - ROWS_SHOWN} more rows: --format csv or json has them all"
            console.print(Text(more, style="bold"))
    else:
        console.print(Text(for_terminal(listing.empty)))
    if listing.note:
        console.print(Text(for_terminal(listing.note), style="dim"))
    return str(console.file.getvalue())  # type: ignore[attr-defined]


def text_console(*, colour: bool) -> Console:
    """Return a console that writes into memory, without markup, highlighting or emoji in what it is given."""
    system: Literal["standard"] | None = "standard" if colour else None
    return Console(
        file=io.StringIO(), width=WIDTH, force_terminal=colour, color_system=system, no_color=not colour,
        markup=False, highlight=False, emoji=False, legacy_windows=False,
    )  # fmt: skip


def _table(listing: Listing) -> Table:
    rows = listing.rows[:ROWS_SHOWN]
    columns = [column for column in listing.columns if any(row.get(column.key) not in (None, "") for row in rows)]
    table = Table(box=None, pad_edge=False, header_style="bold", padding=(0, 2, 0, 0))
    for column in columns:
        justify: Literal["left", "right"] = "right" if column.right else "left"
        table.add_column(column.title, justify=justify, overflow="fold", ratio=column.ratio, no_wrap=column.fixed)
    for row in rows:
        table.add_row(*(_styled(row.get(column.key), row) for column in columns))
    return table


def _styled(value: Any, row: Row) -> Text:
    if isinstance(value, Text):
        return value
    plain = for_terminal(cell(value))
    return Text(plain, style=_STYLES.get(plain, "dim" if row.get("enabled") is False else ""))
