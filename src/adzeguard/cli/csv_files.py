"""Reads the CSV files that people hand to commands."""

import csv
from pathlib import Path

from adzeguard.core.errors import InputError


def read_rows(path: Path, columns: set[str], *, mebibytes: int, way_out: str = "") -> list[tuple[int, dict[str, str]]]:
    """Return each row with its line; `InputError` for a file that is too large, no CSV, or lacks a column.

    A cell that is missing is empty, and what stands beyond the last column is left out.
    """
    try:
        if path.stat().st_size > mebibytes * 1024 * 1024:
            raise InputError(f"{path} is larger than {mebibytes} MiB", "Split it")
        with path.open(encoding="utf-8-sig", newline="") as file:
            reader = csv.DictReader(file, strict=True, restval="")
            lacking = sorted(columns - set(reader.fieldnames or ()))
            if lacking:
                raise InputError(f"{path}:1: lacks the column {lacking[0]}", way_out)
            return [(reader.line_num, {k: v for k, v in row.items() if isinstance(k, str)}) for row in reader]
    except (csv.Error, UnicodeDecodeError) as error:
        raise InputError(f"{path} is not CSV in UTF-8: {error}") from error
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}") from error
