"""Renderers: safe in a terminal, in a spreadsheet, and at any size."""

import csv
import io
import json
from datetime import datetime, timedelta, timezone

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import UsageError
from adzeguard.core.views.page import Page
from adzeguard.core.views.table import Column, Table
from adzeguard.report.renderers import render
from adzeguard.report.safe import for_csv, for_terminal
from adzeguard.report.terminal import ROWS_SHOWN, WIDTH

COLUMNS = (
    Column("name", "Name"),
    Column("kind", "Kind", kind="word"),
    Column("note", "Note", for_people=True, wide=True),
)


@given(st.text())
def test_nothing_steers_a_terminal(text: str) -> None:
    """Escapes, carriage returns and marks that turn the direction of writing never reach it."""
    shown = for_terminal(text)

    assert all(c == "\n" or c.isprintable() for c in shown)
    assert not set(shown) & set("\x1b\x07\r\x9b\u202e\u2066\u200f")


@given(
    st.lists(st.fixed_dictionaries({"name": st.text(), "kind": st.text(max_size=12), "note": st.text()}), max_size=8)
)
def test_the_three_forms_hold_the_same_rows(rows: list[dict]) -> None:
    """JSON and CSV have every documented key and none that is for the table alone; the table is at most 100 wide."""
    table = Table(rows, COLUMNS)
    public = [{"name": row["name"], "kind": row["kind"]} for row in rows]

    assert json.loads(render(table, "json")) == [{key: value or None for key, value in row.items()} for row in public]
    read = list(csv.DictReader(io.StringIO(render(table, "csv").decode(), newline="")))
    assert read == [{key: for_csv(value) for key, value in row.items()} for row in public]
    assert all(cell[:1] not in ("=", "+", "-", "@", "\t") for row in read for cell in row.values())
    assert b"\x1b" not in render(table, "table")


def test_a_long_table_ends_and_says_so() -> None:
    """A table shows its first rows and names the forms that have all; colour is only given when it is asked for."""
    rows = [{"name": f"n{n}", "kind": "high", "note": ""} for n in range(ROWS_SHOWN + 7)]
    shown = render(Table(rows, COLUMNS), "table").decode()

    assert "… and 7 more rows: --format csv or json has them all" in shown
    assert max(map(len, shown.splitlines())) <= WIDTH
    assert "Note" not in shown  # a column that is empty in all rows
    assert len(json.loads(render(Table(rows, COLUMNS), "json"))) == ROWS_SHOWN + 7
    assert b"\x1b[" in render(Table(rows, COLUMNS), "table", colour=True)


def test_moments_are_in_utc_in_json_and_csv() -> None:
    """A time is ISO 8601 in UTC for programs, whatever the zone of whoever looks, or of whoever told it."""
    moment = datetime(2026, 11, 23, 2, 40, tzinfo=timezone(timedelta(hours=1)))
    table = Table([{"at": moment}], (Column("at", "When", kind="moment"),))

    assert json.loads(render(table, "json")) == [{"at": "2026-11-23T01:40:00+00:00"}]
    assert render(table, "csv") == b"at\n2026-11-23T01:40:00+00:00\n"


def test_a_page_is_no_csv() -> None:
    """What is one thing in full is refused as CSV, with the form that there is."""
    with pytest.raises(UsageError, match="no CSV of it"):
        render(Page({"name": "x"}, ()), "csv")


@pytest.mark.parametrize("text", ["=1+1", "\n=1+1", " \t@x", "\uff1d1", "\uff0b1", "\uff0d1", "\uff20x"])
def test_what_a_spreadsheet_would_run_is_only_text(text: str) -> None:
    """A formula is defused behind white space too, and in full-width signs; other text is left as it is."""
    assert for_csv(text).startswith("'")
    assert for_csv("a" + text[-1:] + "=b").startswith("a")
