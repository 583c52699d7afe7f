"""A value of a row as one cell of text."""

import json
from datetime import UTC, datetime
from typing import Any

from adzeguard.core.views.table import Noted


def plain(value: Any) -> Any:
    """Return a value for JSON: moments in ISO 8601, in UTC."""
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat()
    if isinstance(value, Noted):
        return value.text
    return str(value)


def whole_cell(value: Any) -> str:
    """Return a value as one cell of a paper, which has no further column for what is noted with it."""
    return f"{value.text} · {value.note}" if isinstance(value, Noted) and value.note else cell(value)


def cell(value: Any) -> str:  # noqa: PLR0911 - one sort of value a line
    """Return a value as one cell: yes and no, chains with arrows, moments in ISO 8601, in UTC."""
    if type(value) is str:  # nearly all are, and a report has half a million cells
        return value
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat()
    if isinstance(value, dict):
        return json.dumps(value, ensure_ascii=False, default=plain)
    if isinstance(value, list | tuple):
        return " > ".join(cell(item) for item in value)
    return value.text if isinstance(value, Noted) else str(value)
