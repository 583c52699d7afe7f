"""Tables as JSON Lines: one object a row."""

import json

from adzeguard.core.errors import UsageError
from adzeguard.core.views.page import View
from adzeguard.core.views.table import Table
from adzeguard.report.cells import plain


def render(view: View) -> bytes:
    """Return a line for each row, with the documented keys; `UsageError` for what is no table."""
    if not isinstance(view, Table):
        raise UsageError("this is one thing and no table, so there are no lines of it", "Give --format json")
    lines = (json.dumps(row, default=plain, ensure_ascii=True) for row in view.for_programs())
    return "".join(f"{line}\n" for line in lines).encode()
