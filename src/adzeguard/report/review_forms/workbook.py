"""A review as a workbook (Office Open XML, ECMA-376): a head that stays, filters, and a list to choose answers from."""

import io
import zipfile
from pathlib import Path
from typing import Final

from openpyxl import Workbook, load_workbook
from openpyxl.styles import Font, PatternFill
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.worksheet import Worksheet

from adzeguard.core.cleaning.reviewed import ANSWERS, Returned, Review
from adzeguard.core.errors import InputError
from adzeguard.report.review_forms.forms import ANSWERED, COLUMNS, MOST_BYTES, row_of
from adzeguard.report.safe import for_terminal
from adzeguard.report.sheets import with_fixed_times

_HEAD: Final = 2
_WIDTHS: Final = {"item": 14, "what": 8, "where": 36, "member": 30, "kind": 12, "through": 40, "reason": 40}
_MOST_UNPACKED: Final = 512 * 1024 * 1024


def write(review: Review) -> bytes:
    """Return it; every cell is text, so that nothing in it is taken for a formula."""
    book = Workbook()
    sheet = book.active
    if not isinstance(sheet, Worksheet):
        raise TypeError("a new workbook has a sheet")
    sheet.title = review.id
    for column, text in enumerate(("review", review.id, "owner", review.owner, f"until {review.until:%Y-%m-%d}"), 1):
        _text(sheet, 1, column, text)
    for column, name in enumerate(COLUMNS, 1):
        _text(sheet, _HEAD, column, name)
        sheet.cell(_HEAD, column).font = Font(bold=True)
        sheet.column_dimensions[get_column_letter(column)].width = _WIDTHS.get(name, 16)
    for number in range(len(review.items)):
        row = row_of(review, number)
        for column, name in enumerate(COLUMNS, 1):
            _text(sheet, number + _HEAD + 1, column, row[name])
            if name in ANSWERED:
                sheet.cell(number + _HEAD + 1, column).fill = PatternFill("solid", fgColor="FFF6DD")
    last = len(review.items) + _HEAD
    sheet.freeze_panes = sheet.cell(_HEAD + 1, 1)
    sheet.auto_filter.ref = f"A{_HEAD}:{get_column_letter(len(COLUMNS))}{last}"
    choices = DataValidation(type="list", formula1=f'"{",".join(ANSWERS)}"', allow_blank=True, showErrorMessage=True)
    choices.error = f"Choose one of: {', '.join(ANSWERS)}"
    at = get_column_letter(COLUMNS.index("answer") + 1)
    choices.add(f"{at}{_HEAD + 1}:{at}{last}")
    sheet.add_data_validation(choices)
    out = io.BytesIO()
    book.save(out)
    return with_fixed_times(out.getvalue(), f"{review.made_at:%Y-%m-%dT%H:%M:%SZ}".encode())


def _text(sheet: Worksheet, row: int, column: int, text: str) -> None:
    cell = sheet.cell(row, column)
    cell.value = for_terminal(text)
    cell.data_type = "s"


def read(path: Path) -> Returned:
    """Return its rows; a formula is none of ours, and is taken as the text that it is."""
    _refuse_large(path)
    try:
        book = load_workbook(path, read_only=True, data_only=False)
        sheet = book.worksheets[0]
        rows = [["" if cell is None else str(cell) for cell in row] for row in sheet.iter_rows(values_only=True)]
        book.close()
    except Exception as error:  # whatever a broken archive makes the library raise
        raise InputError(f"{path} is no workbook: {error}") from error
    if len(rows) < _HEAD or rows[0][:1] != ["review"] or tuple(rows[1][: len(COLUMNS)]) != COLUMNS:
        raise InputError(
            f"{path} is no review: its first two lines were changed", "Write it again: adzeguard review write"
        )
    listed = [(number, row) for number, row in enumerate(rows[_HEAD:], _HEAD + 1) if any(row)]
    found = [dict(zip(COLUMNS, row, strict=False)) for _, row in listed]
    return Returned(rows[0][1], found, [f"{path}, line {number}" for number, _ in listed])


def _refuse_large(path: Path) -> None:
    """Refuse what unpacks to more than anybody answers: a small archive can hold as much as a disk."""
    try:
        packed = path.stat().st_size
        with zipfile.ZipFile(path) as archive:
            unpacked = sum(part.file_size for part in archive.infolist())
    except (OSError, zipfile.BadZipFile) as error:
        raise InputError(f"{path} is no workbook: {error}") from error
    if packed > MOST_BYTES or unpacked > _MOST_UNPACKED:
        raise InputError(f"{path} is too large for answers")
