"""Views as JSON."""

import json

from adzeguard.core.views.page import View
from adzeguard.core.views.table import Table
from adzeguard.report.cells import plain


def render(view: View) -> bytes:
    """Return the documented keys of a table's rows, or the data of a page."""
    data = [{key: row.get(key) for key in view.keys} for row in view.rows] if isinstance(view, Table) else view.data
    return (json.dumps(data, indent=2, ensure_ascii=False, default=plain) + "\n").encode("utf-8", "backslashreplace")
