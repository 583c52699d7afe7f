"""A value of a row as one cell of text."""

import json
from collections.abc import Mapping
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


def with_nulls(value: Any) -> Any:
    """Return plain values for programs, at any depth: what is absent, which views leave empty, is null."""
    if isinstance(value, Mapping):
        return {key: with_nulls(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [with_nulls(one) for one in value]
    return None if value == "" else value


def whole_cell(value: Any) -> str:
    """Return a value as one cell of a paper, which has no further column for what is noted with it."""
    return f"{value.text} · {value.note}" if isinstance(value, Noted) and value.note else cell(value)


def cell(value: Any) -> str:  # noqa: PLR0911 - one sort of value a line
    """Return a value as one cell: yes and no, moments in ISO 8601 in UTC, a tuple with arrows, for a way."""
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
        return (" > " if isinstance(value, tuple) else ", ").join(cell(item) for item in value)
    return value.text if isinstance(value, Noted) else str(value)
