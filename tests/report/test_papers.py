"""Workbook, page and PDF: nothing of the data runs in them, and the same input gives the same bytes."""

import html
import io
import re
from datetime import UTC, datetime

import pypdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from adzeguard.core.views.page import Page
from adzeguard.core.views.table import Column, Table
from adzeguard.report.renderers import RENDERERS, render

HOSTILE = st.one_of(
    st.text(max_size=40),
    st.sampled_from(
        [
            '=HYPERLINK("http://x")',
            "+1+cmd|' /C calc'!A0",
            "@SUM(1)",
            "-2",
            "<script>alert(1)</script>",
            '"><img src=x onerror=alert(1)>',
            "</style><script>",
            "\x1b[31mred",
            "{{ 7*7 }}",
            "a\u202eb",
            "'quoted",
            "%PDF-1.4 /JS (x)",
        ]
    ),
)
MOMENT = datetime(2026, 11, 26, 12, 30, tzinfo=UTC)


def table(values: list[str], title: str = "Who is privileged") -> Table:
    """A table of these values, a moment and a number."""
    rows = [{"name": value, "since": MOMENT, "count": number} for number, value in enumerate(values)]
    columns = (
        Column("name", "Name", wide=True),
        Column("since", "Since", kind="moment"),
        Column("count", "Uses", kind="number"),
    )
    return Table(rows, columns, title, f"{len(rows)} rows")


@given(st.lists(HOSTILE, min_size=1, max_size=6))
def test_no_cell_of_a_workbook_is_a_formula(values: list[str]) -> None:
    """Every text is text, a moment is a date, and a number a number."""
    sheet = load_workbook(io.BytesIO(render(table(values), "xlsx"))).worksheets[0]
    rows = list(sheet.iter_rows(min_row=2))
    assert len(rows) == len(values)
    for number, (name, since, count) in enumerate(rows):
        assert name.data_type in ("s", "inlineStr", "n")
        assert since.value == MOMENT.replace(tzinfo=None)
        assert count.value == number
    assert (sheet.freeze_panes, sheet.auto_filter.ref) == ("A2", f"A1:C{len(values) + 1}")


@given(st.lists(HOSTILE, min_size=1, max_size=6), HOSTILE)
def test_no_value_becomes_a_part_of_the_page(values: list[str], title: str) -> None:
    """One script, one style, one policy: those of the page itself. What is shown is what was there, made harmless."""
    text = render(table(values, title), "html").decode()
    assert len(re.findall(r"<script", text, re.IGNORECASE)) == 1
    assert len(re.findall(r"<style", text, re.IGNORECASE)) == 1
    assert not re.search(
        r"<(img(?! src=\"data:image/png;base64,)|iframe|link|object|svg|a\s[^>]*href=\"(?!#))", text, re.IGNORECASE
    )
    assert "default-src 'none'" in text
    cells = [html.unescape(cell) for cell in re.findall(r"<td class=\"wide\">(.*?)</td>", text, re.DOTALL)]
    for value, cell in zip(values, cells, strict=True):
        if value.isascii() and value.isprintable():
            assert cell == value


@given(st.lists(HOSTILE, min_size=1, max_size=4))
def test_a_document_holds_no_action(values: list[str]) -> None:
    """Neither script nor file: pages, and links to its own pages."""
    document = pypdf.PdfReader(io.BytesIO(render(Page({}, [table(values)], "Report"), "pdf")))
    assert len(document.pages) == 2
    assert "/JavaScript" not in (document.trailer["/Root"].get("/Names") or {})
    assert not any(key in document.trailer["/Root"] for key in ("/OpenAction", "/AA"))


@pytest.mark.parametrize("form", [name for name, row in RENDERERS.items() if row.of_reports_alone])
def test_the_same_input_gives_the_same_bytes(form: str) -> None:
    """Whenever it is rendered."""
    view = Page({}, [table(["one", "two"]), table([], "Nothing here")], "Report")
    assert render(view, form) == render(view, form)


def test_a_document_has_contents_numbers_and_heads_on_each_page() -> None:
    """A table of many pages: its head stands on each, the contents name its first page, the foot counts."""
    names = [f"LOWMERE\\person.{number} of the ferry line" for number in range(300)]
    document = pypdf.PdfReader(
        io.BytesIO(render(Page({}, [table(names), table(["x"], "The charter")], "Report"), "pdf"))
    )
    texts = [page.extract_text() for page in document.pages]
    count = len(texts)
    assert count > 5
    assert all("Since" in text for text in texts[1:])
    assert all(f"{number} of {count}" in text for number, text in enumerate(texts, 1))
    last = str(count)
    assert f"The charter: 1 row\n{last}" in texts[0]
    assert [entry.title for entry in document.outline] == ["Who is privileged", "The charter"]
    assert "person.299 of the ferry line" in "".join(texts)
