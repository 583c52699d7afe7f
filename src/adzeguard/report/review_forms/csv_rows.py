"""A review as CSV. The first line names the review; cells that a spreadsheet would run begin with a quote."""

import csv
import io
from pathlib import Path

from adzeguard.core.cleaning.reviewed import Returned, Review
from adzeguard.core.errors import InputError
from adzeguard.report.review_forms.forms import COLUMNS, MOST_BYTES, row_of
from adzeguard.report.safe import for_csv, from_csv


def write(review: Review) -> bytes:
    """Return it as UTF-8 with a byte-order mark, by which spreadsheets know it."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(("review", review.id, "owner", for_csv(review.owner), "answer", "keep or take out"))
    writer.writerow(COLUMNS)
    for number in range(len(review.items)):
        row = row_of(review, number)
        writer.writerow([for_csv(row[column]) for column in COLUMNS])
    return b"\xef\xbb\xbf" + out.getvalue().encode()


def read(path: Path) -> Returned:
    """Return its rows; semicolons between cells are taken too, as some spreadsheets write them."""
    text = _text(path)
    first = text.partition("\n")[0]
    try:
        rows = list(
            csv.reader(
                io.StringIO(text, newline=""), strict=True, delimiter=";" if first.startswith("review;") else ","
            )
        )
    except csv.Error as error:
        raise InputError(f"{path} is not CSV: {error}") from error
    if len(rows) < 2 or rows[0][:1] != ["review"] or tuple(rows[1][: len(COLUMNS)]) != COLUMNS:  # noqa: PLR2004
        raise InputError(
            f"{path} is no review: its first two lines were changed", "Write it again: adzeguard review write"
        )
    found = [dict(zip(COLUMNS, map(from_csv, row), strict=False)) for row in rows[2:] if any(row)]
    return Returned(rows[0][1], found, [f"{path}:{number}" for number, row in enumerate(rows[2:], 3) if any(row)])


def _text(path: Path) -> str:
    try:
        if path.stat().st_size <= MOST_BYTES:
            return path.read_bytes().decode("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise InputError(f"{path} cannot be read as UTF-8: {error}") from error
    raise InputError(f"{path} is larger than {MOST_BYTES // 1024 // 1024} MiB")
