"""A part of a table: some rows, in another order, with some columns."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from adzeguard.core.errors import UsageError
from adzeguard.core.values import dataclass
from adzeguard.core.views.table import Column, Row, Table
from adzeguard.core.wording import nearest
from adzeguard.report.cells import cell


@dataclass(frozen=True, slots=True)
class Filtering:
    """What somebody wants of a table: columns and a column to sort by, by key or heading; texts that rows must hold."""

    columns: tuple[str, ...] = ()
    sort: str = ""
    """With a dash in front of it the other way round."""
    where: tuple[str, ...] = ()
    """ "COLUMN=TEXT", or a text that may stand in any column."""
    limit: int | None = None
    count: bool = False
    quiet: bool = False
    """Whether a listing without rows is not shown at all."""

    def of(self, table: Table) -> Table:
        """Return that part; `UsageError` for a column that the table does not have."""
        # What is neither searched nor sorted is not even made.
        rows: Sequence[Row] = table.rows
        if self.where:
            rows = [row for row in rows if all(_holds(table, row, wanted) for wanted in self.where)]
        if self.sort:
            key = _column(table, self.sort.removeprefix("-")).key
            rows = sorted(rows, key=lambda row: _order(row.get(key)), reverse=self.sort.startswith("-"))
        left = rows if self.limit is None else rows[: self.limit]
        columns = [_shown(_column(table, name)) for name in self.columns] or table.columns
        note = f"{len(left)} of {len(table.rows)} rows" if len(left) < len(table.rows) else table.note
        empty = table.empty if not table.rows else "No row is like that."
        return replace(table, rows=left, columns=columns, note=note, empty=empty)

    @property
    def is_nothing(self) -> bool:
        """Whether the table is wanted as it is."""
        return self == Filtering()


def _column(table: Table, name: str) -> Column:
    wanted = name.strip().casefold()
    for column in table.columns:
        if column.key.casefold() == wanted:
            return column
    for column in table.columns:
        if column.title.casefold() == wanted:
            return column
    keys = [column.key for column in table.columns]
    near = nearest(name, keys)
    raise UsageError(
        f"this listing has no column '{name}'{f', did you mean {near}?' if near else ''}", f"It has: {', '.join(keys)}"
    )


def _shown(column: Column) -> Column:
    return replace(column, title=column.title or column.key.replace("_", " ").capitalize(), for_people=False)


def _holds(table: Table, row: Row, wanted: str) -> bool:
    name, equals, text = wanted.partition("=")
    if not equals:
        return any(wanted.casefold() in cell(value).casefold() for value in row.values())
    value = row.get(_column(table, name).key)
    said = cell(value)
    note = getattr(value, "note", "")
    return text.casefold() in f"{said} {note}".casefold()


def _order(value: Any) -> tuple[int, Any]:
    """Return what values of one column are sorted by: numbers as numbers, times as times, nothing last."""
    if value is None or value == "":
        return 3, ""
    if isinstance(value, bool | int | float):
        return 0, value
    if isinstance(value, datetime):
        return 1, value.timestamp()
    return 2, cell(value).casefold()


def columns_of(text: str) -> Sequence[str]:
    """Return the names in "a,b,c"."""
    return tuple(name.strip() for name in text.split(",") if name.strip())
