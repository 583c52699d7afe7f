"""A terminal picker: many rows, a filter, sorting, columns to hide, and any number of rows to take."""

from collections.abc import Mapping, Sequence
from typing import ClassVar

from rich.text import Text
from textual.app import App, ComposeResult
from textual.binding import BindingType
from textual.coordinate import Coordinate
from textual.widgets import DataTable, Footer, Input, Static

from adzeguard.report.safe import for_terminal

Row = Mapping[str, str]
_TAKEN, _LEFT = "[x]", "[ ]"


class Picker(App[list[int] | None]):
    """Lets somebody take some of the rows; ends with their places, or with nothing when they gave up."""

    TITLE = "adzeguard"
    ENABLE_COMMAND_PALETTE = False
    CSS = """
    #title { padding: 0 1; text-style: bold; }
    #filter { height: 3; }
    #count { padding: 0 1; color: $text-muted; }
    DataTable { height: 1fr; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        ("space", "take", "Take"),
        ("d", "done", "Done"),
        ("escape", "give_up", "Cancel"),
        ("a", "take_all", "All"),
        ("n", "take_none", "None"),
        ("s", "sort", "Sort"),
        ("h", "hide", "Hide"),
        ("u", "unhide", "Unhide"),
        ("slash", "filter", "Filter"),
    ]

    def __init__(self, title: str, columns: Sequence[str], rows: Sequence[Row]) -> None:
        """`rows` hold a text for each column; rows keep their places however they are sorted or filtered."""
        super().__init__()
        self._heading = title
        self._columns = list(columns)
        self._rows = rows
        self._hidden: set[str] = set()
        self._sorted_by: tuple[str, bool] = (self._columns[0], False)
        self._filter = ""
        self.taken: set[int] = set()

    def compose(self) -> ComposeResult:
        """Lay out the title, the filter, the table and what can be pressed."""
        yield Static(for_terminal(self._heading), id="title", markup=False)
        yield Input(placeholder="Filter: any text, or column:text", id="filter")
        yield DataTable(cursor_type="cell", zebra_stripes=True)
        yield Static("", id="count", markup=False)
        yield Footer()

    def on_mount(self) -> None:
        """Begin in the table."""
        self._show()
        self.query_one(DataTable).focus()

    @property
    def shown(self) -> list[int]:
        """The places of the rows that the filter lets through, in the order in which they are shown."""
        column, text = self._wanted()
        fitting = [at for at, row in enumerate(self._rows) if _fits(row, column, text)]
        key, downwards = self._sorted_by
        return sorted(fitting, key=lambda at: _sortable(self._rows[at][key]), reverse=downwards)

    @property
    def columns_shown(self) -> list[str]:
        """The columns that are not hidden."""
        return [column for column in self._columns if column not in self._hidden]

    def _wanted(self) -> tuple[str, str]:
        name, colon, text = self._filter.partition(":")
        column = next((c for c in self._columns if colon and c.casefold() == name.strip().casefold()), "")
        return (column, text.strip()) if column else ("", self._filter.strip())

    def _show(self, keep: Coordinate | None = None) -> None:
        table = self.query_one(DataTable)
        table.clear(columns=True)
        key, downwards = self._sorted_by
        table.add_column("Take", key="take")
        for column in self.columns_shown:
            mark = (" ▼" if downwards else " ▲") if column == key else ""
            table.add_column(column + mark, key=column)
        for at in self.shown:
            style = "bold" if at in self.taken else ""
            cells = [Text(for_terminal(self._rows[at][column]), style) for column in self.columns_shown]
            table.add_row(Text(_TAKEN if at in self.taken else _LEFT, style), *cells, key=str(at))
        if keep is not None and table.row_count:
            table.move_cursor(row=min(keep.row, table.row_count - 1), column=keep.column)
        count = f"{len(self.taken)} taken, {len(self.shown)} of {len(self._rows)} shown"
        self.query_one("#count", Static).update(count)

    def _again(self) -> None:
        self._show(self.query_one(DataTable).cursor_coordinate)

    def _column_here(self) -> str | None:
        at = self.query_one(DataTable).cursor_coordinate.column - 1
        return self.columns_shown[at] if 0 <= at < len(self.columns_shown) else None

    def on_input_changed(self, event: Input.Changed) -> None:
        """Filter while it is typed."""
        self._filter = event.value
        self._show()

    def on_input_submitted(self) -> None:
        """Go back to the table."""
        self.query_one(DataTable).focus()

    def action_filter(self) -> None:
        """Go to the filter."""
        self.query_one(Input).focus()

    def action_take(self) -> None:
        """Take the row under the cursor, or leave it again."""
        shown, row = self.shown, self.query_one(DataTable).cursor_coordinate.row
        if row < len(shown):
            self.taken ^= {shown[row]}
            self._again()

    def action_take_all(self) -> None:
        """Take every row that is shown."""
        self.taken |= set(self.shown)
        self._again()

    def action_take_none(self) -> None:
        """Take nothing."""
        self.taken.clear()
        self._again()

    def action_sort(self) -> None:
        """Sort by the column under the cursor; once more turns the order round."""
        column = self._column_here()
        if column is not None:
            self._sorted_by = (column, self._sorted_by == (column, False))
            self._again()

    def action_hide(self) -> None:
        """Hide the column under the cursor; one always stays."""
        column = self._column_here()
        if column is not None and len(self.columns_shown) > 1:
            self._hidden.add(column)
            self._again()

    def action_unhide(self) -> None:
        """Show all columns again."""
        self._hidden.clear()
        self._again()

    def action_done(self) -> None:
        """End with what was taken."""
        self.exit(sorted(self.taken))

    def action_give_up(self) -> None:
        """End with nothing; from the filter, go back to the table first."""
        if self.focused is self.query_one(Input):
            self.query_one(DataTable).focus()
        else:
            self.exit(None)


def _fits(row: Row, column: str, text: str) -> bool:
    wanted = text.casefold()
    return any(wanted in value.casefold() for name, value in row.items() if not column or name == column)


def _sortable(text: str) -> tuple[bool, int, str]:
    return (False, int(text), "") if text.isdecimal() else (True, 0, text.casefold())
