"""Tables as CSV (RFC 4180) that a spreadsheet does not run."""

import csv
import io

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
    writer.writerows([for_csv(cell(row.get(key))) for key in view.keys] for row in view.rows)
    return out.getvalue().encode("utf-8", "backslashreplace")
