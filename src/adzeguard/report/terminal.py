"""Views as text for people, as wide as their terminal."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Final

from adzeguard.core.views.page import Fact, Lines, Section, View
from adzeguard.core.views.table import Column, Noted, Row, Table
from adzeguard.core.wording import when
from adzeguard.report.cells import cell
from adzeguard.report.column_widths import GAP, LONGEST_WORDS, column_widths, wants_of
from adzeguard.report.layout import Line, Run, Screen, padded, width_of, wrapped
from adzeguard.report.safe import for_terminal

WIDTH: Final = 100
ROWS_SHOWN: Final = 500
"""Nobody reads longer tables, and laying one out takes as long as everything else together."""
_LABEL: Final = 14
_LONGEST_TEXT: Final = 4000
STYLES: Final = {
    # Yellow and cyan cannot be read on a light background, nor blue on a dark one.
    "critical": "bold red",
    "high": "red",
    "medium": "magenta",
    "note": "dim",
    "verified": "green",
    "differs": "bold red",
    "conflict": "magenta",
    "refused": "red",
    "unreachable": "magenta",
    "held-back": "magenta",
    "put-back": "magenta",
    "unsupported": "magenta",
    "disabled": "dim",
}


def render(view: View, *, colour: bool = False, width: int = WIDTH) -> bytes:
    """Return a view as text that ends with a newline."""
    screen = Screen(width, colour=colour)
    if isinstance(view, Table):
        _put_table(screen, view)
    else:
        if view.title:
            screen.put((_shown(view.title), "bold"))
        for before, section in zip((None, *view.sections), view.sections, strict=False):
            if (isinstance(section, Table) and before is not None) or (
                isinstance(section, Lines) and section.title and before is not None
            ):
                screen.put_line([])
            _put_section(screen, section)
    return screen.text.encode("utf-8", "backslashreplace")


def _shown(text: str) -> str:
    """Return text that steers no terminal. Of millions of letters it shows a few thousand."""
    if len(text) > _LONGEST_TEXT:
        text = f"{text[:_LONGEST_TEXT]}… ({len(text):,} characters: --format json has them all)"
    return for_terminal(text)


def _put_section(screen: Screen, section: Section) -> None:
    match section:
        case Table():
            _put_table(screen, section)
        case Lines():
            if section.title:
                screen.put((_shown(section.title), "bold"))
            for line in section.lines:
                screen.put_indented(_shown(line), section.indent)
        case Fact(label, str() as said):
            screen.put((f"{label + ':':<{_LABEL}} ", "bold"), (_shown(said), STYLES.get(section.word, "")))
        case Fact(label, lines):
            screen.put((f"{label}:", "bold"))
            for line in lines:
                screen.put_indented(_shown(line), 2)


def _put_table(screen: Screen, table: Table) -> None:
    if table.title:
        screen.put((_shown(table.title), "bold"))
    if table.rows:
        _put_rows(screen, table)
        if len(table.rows) > ROWS_SHOWN:
            more = f"… and {len(table.rows) - ROWS_SHOWN} more rows: --format csv or json has them all"
            screen.put((more, "bold"))
    else:
        screen.put((_shown(table.empty), ""))
    if table.note:
        screen.put((_shown(table.note), "dim"))
    # Asked of those tables alone that have any: rows that are made late would be made once more.
    if steps := table.next_steps(table.rows[:ROWS_SHOWN]) if table.next_steps is not None else ():
        screen.put(("Next:", "bold"))
        for step in steps:
            screen.put_line([(_command_line(_shown(step), screen.width), "")])


def _command_line(step: str, width: int) -> str:
    """Return a command to paste on one line of its own: what it is about goes where that has no room."""
    line = f"  {step}"
    return line if len(line) <= width else line.partition("  # ")[0]


def _put_rows(screen: Screen, table: Table) -> None:
    """Put the rows as columns, or where these do not fit beside each other, each row as lines of its own."""
    rows: Sequence[Row] = table.rows[:ROWS_SHOWN]
    columns = [c for c in table.columns if c.title and any(row.get(c.key) not in (None, "", []) for row in rows)]
    cells = [[_styled(column, row.get(column.key), row) for column in columns] for row in rows]
    widths = None
    for longest in LONGEST_WORDS:
        wants = [
            wants_of(_shown(column.title), [_plain(row[place]) for row in cells], longest, fixed=column.fixed)
            for place, column in enumerate(columns)
        ]
        widths = widths or column_widths(wants, screen.width)
    if widths is None:
        _put_stacked(screen, columns, cells)
    elif not columns:
        screen.put_line([])
    else:
        _put_beside(screen, [[(_shown(column.title), "bold")] for column in columns], columns, widths, of_head=True)
        for row in cells:
            _put_beside(screen, row, columns, widths)


def _put_beside(
    screen: Screen, cells: Sequence[Line], columns: Sequence[Column], widths: Sequence[int], *, of_head: bool = False
) -> None:
    """Put one row: cells that are lower than the highest begin at the top, and those of the head end at the bottom."""
    filling = "bold" if of_head else ""
    laid_out = []
    for cell_runs, column, width in zip(cells, columns, widths, strict=True):
        style = cell_runs[0][1] if len(cell_runs) == 1 else ""
        lines = wrapped(cell_runs, width, no_wrap=column.fixed)
        laid_out.append([padded(line, width, style, right=column.kind == "number") for line in lines])
    height = max(map(len, laid_out))
    gaps = [GAP] * (len(columns) - 1) + [0]
    for number in range(height):
        line: list[Run] = []
        for lines, width, gap in zip(laid_out, widths, gaps, strict=True):
            at = number - (height - len(lines)) if of_head else number
            if 0 <= at < len(lines):
                line += [*lines[at], (" " * gap, filling)]
            else:
                line.append((" " * (width + gap), filling))
        screen.put_line(line)


def _put_stacked(screen: Screen, columns: Sequence[Column], cells: Sequence[Sequence[Line]]) -> None:
    widest = max(width_of(_shown(column.title)) for column in columns) + GAP
    room = max(8, screen.width - widest)
    for number, row in enumerate(cells):
        if number:
            screen.put_line([])
        kept = [(c, runs) for c, runs in zip(columns, row, strict=True) if _plain(runs).strip()]
        # The right column is as wide as its longest line, and no wider than what is left beside the titles.
        for column, runs in kept:
            style = runs[0][1] if len(runs) == 1 else ""
            title = padded([(_shown(column.title), "bold")], widest, "bold")
            for place, line in enumerate(wrapped(runs, room)):
                screen.put_line([*(title if not place else [(" " * widest, "")]), *padded(line, room, style)])


def _styled(column: Column, value: Any, row: Row) -> Line:
    if isinstance(value, Noted):
        return [(f"{_shown(value.text)}\n", ""), (_shown(value.note), "dim")]
    plain = _shown(when(value) if isinstance(value, datetime) else cell(value))
    style = STYLES.get(plain, "") if column.kind == "word" else ""
    return [(plain, style or ("dim" if row.get("enabled") is False else ""))]


def _plain(runs: Line) -> str:
    return "".join(text for text, _ in runs)
