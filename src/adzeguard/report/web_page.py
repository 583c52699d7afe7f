"""Tables as one page that needs nothing from outside: sorted, searched and printed in a browser."""

import base64
import hashlib
from datetime import datetime
from functools import cache
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined

from adzeguard.core.views.page import Lines, Picture, View
from adzeguard.core.views.reports import tables_of
from adzeguard.core.views.table import Column, Table
from adzeguard.core.wording import when_utc
from adzeguard.report.cells import whole_cell
from adzeguard.report.safe import for_terminal


def render(view: View) -> bytes:
    """Return the page; it runs the one script that stands in it, and no other."""
    script, style = (_part(name) for name in ("report.js", "report.css"))
    tables = [_table(number, table) for number, table in enumerate(tables_of(view), 1)]
    lines = (
        []
        if isinstance(view, Table)
        else [s for section in view.sections if isinstance(section, Lines) for s in section.lines]
    )
    template = _environment().get_template("report.html")
    stream = template.generate(
        title=for_terminal(view.title or "Report"),
        lines=[for_terminal(line) for line in lines],
        tables=tables,
        pictures=_pictures(view),
        script=script,
        style=style,
        script_hash=content_hash(script),
        style_hash=content_hash(style),
    )
    return b"".join(part.encode("utf-8", "backslashreplace") for part in stream)


def _pictures(view: View) -> list[dict[str, str]]:
    sections = () if isinstance(view, Table) else view.sections
    return [
        {"title": one.title, "says": one.says, "data": base64.b64encode(one.png).decode()}
        for one in sections
        if isinstance(one, Picture)
    ]


def _table(number: int, table: Table) -> dict[str, Any]:
    columns = [column for column in table.columns if column.title]
    return {
        "id": f"t{number}",
        "title": for_terminal(table.title),
        "note": for_terminal(table.note),
        "empty": for_terminal(table.empty),
        "columns": columns,
        "classes": [_class(column) for column in columns],
        # Made as they are written out: a hundred thousand rows are not held twice.
        "rows": ([_shown(row.get(column.key)) for column in columns] for row in table.rows),
        "count": len(table.rows),
    }


def _class(column: Column) -> str:
    """Return how cells of a column are set: numbers to the right, moments unbroken, long texts broken anywhere."""
    return column.kind if column.kind in ("number", "moment") else "wide" if column.wide else ""


def _shown(value: Any) -> str:
    if isinstance(value, datetime):
        return when_utc(value)
    return for_terminal(whole_cell(value))


def content_hash(text: str) -> str:
    """Return what names a script to the policy of a page (Content Security Policy Level 2, section 4.2.5)."""
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


@cache
def _environment() -> Environment:
    loader = PackageLoader("adzeguard.report", "templates")
    return Environment(loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)


def _part(name: str) -> str:
    loader = _environment().loader
    if loader is None:
        raise LookupError(name)
    return loader.get_source(_environment(), name)[0]
