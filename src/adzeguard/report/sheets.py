"""Tables as a workbook (Office Open XML, ECMA-376): a sheet each, a head that stays, filters, dates as dates."""

import io
import re
import zipfile
from datetime import UTC, datetime
from typing import Any, Final

from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell
from openpyxl.styles import Font
from openpyxl.utils import get_column_letter

from adzeguard.core.views.page import View
from adzeguard.core.views.reports import tables_of
from adzeguard.core.views.table import Column, Table
from adzeguard.report.cells import cell, whole_cell
from adzeguard.report.safe import for_terminal

_MOST_ROWS: Final = 1_048_575
"""What a sheet holds beside its head; more goes on the next sheet."""
_LONGEST: Final = 32_767
_WIDEST: Final = 60
_LOOKED_AT: Final = 200
_NO_TITLE: Final = re.compile(r"[\[\]:*?/\\]")
_MOMENT: Final = re.compile(rb"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ")
_FIXED: Final = b"2000-01-01T00:00:00Z"


def render(view: View) -> bytes:
    """Return the workbook; rows are written as they come, so that many of them take no memory."""
    book = Workbook(write_only=True)
    for number, table in enumerate(tables_of(view), 1):
        for part in range(0, max(len(table.rows), 1), _MOST_ROWS):
            _put(book, table, part, f"{number} {table.title or 'table'}" + (f" {part}" if part else ""))
    out = io.BytesIO()
    book.save(out)
    return with_fixed_times(out.getvalue(), _FIXED)


def _put(book: Workbook, table: Table, begin: int, title: str) -> None:
    sheet = book.create_sheet(_NO_TITLE.sub(" ", for_terminal(title))[:31])
    columns = [column for column in table.columns if column.title]
    rows = table.rows[begin : begin + _MOST_ROWS]
    for at, column in enumerate(columns, 1):
        widest = max([len(cell(row.get(column.key))) for row in rows[:_LOOKED_AT]] + [len(column.title)])
        sheet.column_dimensions[get_column_letter(at)].width = min(widest + 2, _WIDEST)
    sheet.freeze_panes = "A2"
    sheet.auto_filter.ref = f"A1:{get_column_letter(max(len(columns), 1))}{len(rows) + 1}"
    head = []
    for column in columns:
        # A workbook knows no zones: moments stand in UTC, and the head says so.
        is_of_moments = any(isinstance(row.get(column.key), datetime) for row in rows)
        titled = _text(sheet, f"{column.title} (UTC)" if is_of_moments else column.title)
        titled.font = Font(bold=True)
        head.append(titled)
    sheet.append(head)
    for row in rows:
        sheet.append([_value(sheet, column, row.get(column.key)) for column in columns])


def _value(sheet: Any, column: Column, value: Any) -> Any:
    if isinstance(value, bool) or value is None:
        return "" if value is None else cell(value)
    if isinstance(value, datetime):
        dated = WriteOnlyCell(sheet, value.astimezone(UTC).replace(tzinfo=None, microsecond=0))
        dated.number_format = "yyyy-mm-dd hh:mm:ss"
        return dated
    if isinstance(value, int | float) and column.kind == "number":
        return value
    return _text(sheet, whole_cell(value))


def _text(sheet: Any, text: str) -> Any:
    """Every other cell is text, so that nothing in it is taken for a formula."""
    clean = for_terminal(text)[:_LONGEST]
    made = WriteOnlyCell(sheet, clean)
    made.data_type = "s"
    return made


def with_fixed_times(data: bytes, made_at: bytes) -> bytes:
    """Give every part the same time, and the book the one given: the same input gives the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as archive, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as again:
        for name in archive.namelist():
            part = archive.read(name)
            if name == "docProps/core.xml":
                part = _MOMENT.sub(made_at, part)
            again.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), part, zipfile.ZIP_DEFLATED)
    return out.getvalue()
