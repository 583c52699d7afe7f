"""Views as JSON."""

import json
import re
from typing import Final

from adzeguard.core.views.page import View
from adzeguard.core.views.table import Table
from adzeguard.report.cells import plain

_UNUSUAL: Final = re.compile("[^\n -~]")


def render(view: View) -> bytes:
    """Return the documented keys of a table's rows, or the data of a page."""
    data = [{key: row.get(key) for key in view.keys} for row in view.rows] if isinstance(view, Table) else view.data
    text = _UNUSUAL.sub(_escaped, json.dumps(data, indent=2, ensure_ascii=False, default=plain))
    return (text + "\n").encode("utf-8", "backslashreplace")


def _escaped(found: re.Match[str]) -> str:
    """Escape what could steer a terminal or turn the direction of a line: to a reader of JSON it is the same text."""
    return found[0] if found[0].isprintable() else json.dumps(found[0])[1:-1]
