"""Views as JSON."""

import json
import re
from typing import Any, Final

from adzeguard.core.views.page import Page, View
from adzeguard.core.views.table import Table
from adzeguard.report.cells import plain, with_nulls

_UNUSUAL: Final = re.compile("[^\n -~]")


def render(view: View) -> bytes:
    """Return the documented keys of a table's rows, or the data of a page."""
    data: Any = view.data if isinstance(view, Page) else None
    if isinstance(view, Table):
        data = list(view.for_programs())
    elif not view.verbatim:
        data = with_nulls(data)
    text = _UNUSUAL.sub(_escaped, json.dumps(data, indent=2, ensure_ascii=False, default=plain))
    return (text + "\n").encode("utf-8", "backslashreplace")


def _escaped(found: re.Match[str]) -> str:
    """Escape what could steer a terminal or turn the direction of a line: to a reader of JSON it is the same text."""
    return found[0] if found[0].isprintable() else json.dumps(found[0])[1:-1]
