"""Tables as CSV (RFC 4180) that a spreadsheet does not run."""

import csv
import io
from functools import lru_cache

from adzeguard.core.errors import UsageError
from adzeguard.core.views.page import View
from adzeguard.core.views.table import Table
from adzeguard.report.cells import cell
from adzeguard.report.safe import for_csv


def render(view: View) -> bytes:
    """Return the documented keys and a line for each row; `UsageError` for what is no table."""
    if not isinstance(view, Table):
        raise UsageError("this is one thing and no table, so there is no CSV of it", "Give --format json")
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(view.keys)
    safe = lru_cache(maxsize=1 << 12)(for_csv)  # the same rules, owners and hosts stand in many rows
    writer.writerows([safe(cell(row.get(key))) for key in view.keys] for row in view.rows)
    return out.getvalue().encode("utf-8", "backslashreplace")
