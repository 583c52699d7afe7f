"""Listings: safe in a terminal, in a spreadsheet, and at any size."""

import csv
import io
import json

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.report.listing import ROWS_SHOWN, WIDTH, Column, Listing, render
from adzeguard.report.safe import for_csv, for_terminal

COLUMNS = (Column("name", "Name"), Column("kind", "Kind"), Column("_note", "Note", ratio=1))


@given(st.text())
def test_nothing_steers_a_terminal(text: str) -> None:
    """Escapes, carriage returns and marks that turn the direction of writing never reach it."""
    shown = for_terminal(text)

    assert all(c == "\n" or c.isprintable() for c in shown)
    assert not set(shown) & set("\x1b\x07\r\x9b\u202e\u2066\u200f")


@given(
    st.lists(st.fixed_dictionaries({"name": st.text(), "kind": st.text(max_size=12), "_note": st.text()}), max_size=8)
)
def test_the_three_forms_hold_the_same_rows(rows: list[dict]) -> None:
    """JSON and CSV have every documented key and none that is for the table alone; the table is at most 100 wide."""
    listing = Listing(rows, COLUMNS)
    public = [{"name": row["name"], "kind": row["kind"]} for row in rows]

    assert json.loads(render(listing, "json")) == public
    read = list(csv.DictReader(io.StringIO(render(listing, "csv"), newline="")))
    assert read == [{key: for_csv(value) for key, value in row.items()} for row in public]
    assert all(cell[:1] not in ("=", "+", "-", "@", "\t") for row in read for cell in row.values())
    assert "\x1b" not in render(listing, "table")


def test_a_long_table_ends_and_says_so() -> None:
    """A table shows its first rows and names the forms that have all; colour is only given when it is asked for."""
    rows = [{"name": f"n{n}", "kind": "high", "_note": ""} for n in range(ROWS_SHOWN + 7)]
    shown = render(Listing(rows, COLUMNS), "table")

    assert "… and 7 more rows: --format csv or json has them all" in shown
    assert max(map(len, shown.splitlines())) <= WIDTH
    assert "Note" not in shown  # a column that is empty in all rows
    assert len(json.loads(render(Listing(rows, COLUMNS), "json"))) == ROWS_SHOWN + 7
    assert "\x1b[" in render(Listing(rows, COLUMNS), "table", colour=True)
