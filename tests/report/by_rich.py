"""How Rich lays out views: what the program does by itself is held against it."""

import io
from collections.abc import Sequence
from datetime import datetime
from typing import Any, Final, Literal

from rich.cells import cell_len
from rich.console import Console
from rich.padding import Padding
from rich.table import Table as RichTable
from rich.text import Text

from adzeguard.core.views.page import Fact, Lines, Section, View
from adzeguard.core.views.table import Column, Noted, Row, Table
from adzeguard.core.wording import when
from adzeguard.report.cells import cell
from adzeguard.report.column_widths import GAP, LONGEST_WORDS, column_widths, wants_of
from adzeguard.report.terminal import ROWS_SHOWN, STYLES, _shown

_LABEL: Final = 14


def render(view: View, *, colour: bool = False, width: int) -> bytes:
    """Return a view as text that ends with a newline."""
    console = _console(colour=colour, width=width)
    if isinstance(view, Table):
        _put_table(console, view)
    else:
        if view.title:
            console.print(Text(_shown(view.title), style="bold"))
        for before, section in zip((None, *view.sections), view.sections, strict=False):
            if (isinstance(section, Table) and before is not None) or (
                isinstance(section, Lines) and section.title and before is not None
            ):
                console.print()
            _put_section(console, section)
    return str(console.file.getvalue()).encode("utf-8", "backslashreplace")  # type: ignore[attr-defined]


def _console(*, colour: bool, width: int) -> Console:
    """Return a console that writes into memory, without markup, highlighting or emoji in what it is given."""
    system: Literal["standard"] | None = "standard" if colour else None
    return Console(
        file=io.StringIO(),
        width=width,
        force_terminal=colour,
        color_system=system,
        no_color=not colour,
        markup=False,
        highlight=False,
        emoji=False,
        legacy_windows=False,
    )


def _put_section(console: Console, section: Section) -> None:
    match section:
        case Table():
            _put_table(console, section)
        case Lines():
            if section.title:
                console.print(Text(_shown(section.title), style="bold"))
            for line in section.lines:
                console.print(Padding(Text(_shown(line)), (0, 0, 0, section.indent), expand=False))
        case Fact(label, str() as said):
            style = STYLES.get(section.word, "")
            console.print(Text.assemble((f"{label + ':':<{_LABEL}} ", "bold"), (_shown(said), style)))
        case Fact(label, lines):
            console.print(Text(f"{label}:", style="bold"))
            for line in lines:
                console.print(Padding(Text(_shown(line)), (0, 0, 0, 2), expand=False))


def _put_table(console: Console, table: Table) -> None:
    if table.title:
        console.print(Text(_shown(table.title), style="bold"))
    if table.rows:
        _put_rows(console, table)
        if len(table.rows) > ROWS_SHOWN:
            more = f"… and {len(table.rows) - ROWS_SHOWN} more rows: --format csv or json has them all"
            console.print(Text(more, style="bold"))
    else:
        console.print(Text(_shown(table.empty)))
    if table.note:
        console.print(Text(_shown(table.note), style="dim"))


def _put_rows(console: Console, table: Table) -> None:
    """Put the rows as columns, or where these do not fit beside each other, each row as lines of its own."""
    rows: Sequence[Row] = table.rows[:ROWS_SHOWN]
    columns = [c for c in table.columns if c.title and any(row.get(c.key) not in (None, "", []) for row in rows)]
    cells = [[_styled(column, row.get(column.key), row) for column in columns] for row in rows]
    widths = None
    for longest in LONGEST_WORDS:
        wants = [
            wants_of(_shown(column.title), [row[place].plain for row in cells], longest, fixed=column.fixed)
            for place, column in enumerate(columns)
        ]
        widths = widths or column_widths(wants, console.width)
    if widths is None:
        _put_stacked(console, columns, cells)
    else:
        console.print(_laid_out(columns, cells, widths))


def _laid_out(columns: Sequence[Column], cells: Sequence[Sequence[Text]], widths: Sequence[int]) -> RichTable:
    laid_out = RichTable(box=None, pad_edge=False, header_style="bold", padding=(0, GAP, 0, 0))
    for column, width in zip(columns, widths, strict=True):
        justify: Literal["left", "right"] = "right" if column.kind == "number" else "left"
        laid_out.add_column(_shown(column.title), justify=justify, overflow="fold", width=width, no_wrap=column.fixed)
    for row in cells:
        laid_out.add_row(*row)
    return laid_out


def _put_stacked(console: Console, columns: Sequence[Column], cells: Sequence[Sequence[Text]]) -> None:
    widest = max(cell_len(_shown(column.title)) for column in columns) + GAP
    for number, row in enumerate(cells):
        if number:
            console.print()
        lines = RichTable(box=None, pad_edge=False, show_header=False, padding=(0, 0, 0, 0))
        lines.add_column(width=widest, no_wrap=True)
        lines.add_column(overflow="fold", width=max(8, console.width - widest))
        for column, text in zip(columns, row, strict=True):
            if text.plain.strip():
                lines.add_row(Text(_shown(column.title), style="bold"), text)
        console.print(lines)


def _styled(column: Column, value: Any, row: Row) -> Text:
    if isinstance(value, Noted):
        return Text(f"{_shown(value.text)}\n") + Text(_shown(value.note), style="dim")
    plain = _shown(when(value) if isinstance(value, datetime) else cell(value))
    style = STYLES.get(plain, "") if column.kind == "word" else ""
    return Text(plain, style=style or ("dim" if row.get("enabled") is False else ""))
