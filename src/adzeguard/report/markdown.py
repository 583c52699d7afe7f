"""Views as Markdown (CommonMark, with the tables that forges add to it), for a merge request or a ticket."""

import re
from collections.abc import Iterator, Sequence
from typing import Any, Final

from adzeguard.core.views.page import Fact, Lines, Picture, View
from adzeguard.core.views.table import Table
from adzeguard.report.cells import whole_cell
from adzeguard.report.safe import for_terminal

_STEERING: Final = re.compile(r"[\\`*_{}\[\]<>#|~$!&]")
_LINE_START: Final = re.compile(r"^(\s*)([-+=]|\d+[.)])", re.MULTILINE)


def render(view: View) -> bytes:
    """Return the sections one after the other, as people see them; pictures by what they show."""
    sections = [view] if isinstance(view, Table) else view.sections
    title = [] if isinstance(view, Table) or not view.title else [f"# {_text(view.title)}\n"]
    parts = [*title, *(part for section in sections for part in _section(section))]
    return ("\n".join(parts).rstrip("\n") + "\n").encode("utf-8", "backslashreplace")


def _section(section: Fact | Lines | Table | Picture) -> Iterator[str]:
    if isinstance(section, Table):
        yield from _table(section)
    elif isinstance(section, Fact):
        said = [section.said] if isinstance(section.said, str) else list(section.said)
        yield f"**{_text(section.label)}**" + "".join(f"  \n{_text(line)}" for line in said if line) + "\n"
    elif isinstance(section, Lines):
        if section.title:
            yield f"## {_text(section.title)}\n"
        yield "".join(f"- {_text(line)}\n" if section.title else f"{_text(line)}\n\n" for line in section.lines)
    else:
        yield f"**{_text(section.title)}**  \n{_text(section.says)}\n"


def _table(table: Table) -> Iterator[str]:
    if table.title:
        yield f"## {_text(table.title)}\n"
    if not table.rows:
        yield f"{_text(table.empty)}\n"
        return
    rows = list(table.rows)
    columns = [one for one in table.columns if one.title and any(whole_cell(row.get(one.key)) for row in rows)]
    yield _row([_cell(column.title) for column in columns])
    yield _row(["---:" if column.kind == "number" else "---" for column in columns])
    yield "".join(f"{_row([_cell(row.get(column.key)) for column in columns])}\n" for row in rows)
    if table.note:
        yield f"{_text(table.note)}\n"


def _row(cells: Sequence[str]) -> str:
    return f"| {' | '.join(cells)} |"


def _cell(value: Any) -> str:
    return _escaped(whole_cell(value)).replace("\n", "<br>")


def _text(text: str) -> str:
    return _LINE_START.sub(r"\1\\\2", _escaped(text)).replace("\n", "  \n")


def _escaped(text: str) -> str:
    """Escape what Markdown or a forge would act on: a name with @ in it notifies somebody."""
    return _STEERING.sub(lambda found: f"\\{found[0]}", for_terminal(text)).replace("@", "&#64;")
