"""What is put on a terminal is laid out as Rich lays it out, letter for letter and style for style."""

from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.views.page import Fact, Lines, Page
from adzeguard.core.views.table import Column, Noted, Table
from adzeguard.report import terminal
from tests.report import by_rich

PLAIN = ["a", "of", r"LOWMERE\mira.holt", "S-1-5-21-10-20-30-1104", "medium", "high", "disabled", "  ", "x" * 31]
ODD = ["CN=Ada Orr,OU=People", "\n", "渡し船", "e\u0301", "🚢", "\u200d", "…", "—", "Grün", "\t", "\x1b[2J", "\u202e"]
WORDS = st.sampled_from([*PLAIN, *ODD])
TEXTS = st.lists(WORDS, max_size=7).map(" ".join) | st.lists(WORDS, max_size=3).map("".join)
VALUES = TEXTS | st.none() | st.booleans() | st.integers() | st.just(datetime(2026, 11, 29, tzinfo=UTC))
TITLES = st.sampled_from(["Name", "Through which", "Größe", "A rather long title", "渡し"])
CELLS = VALUES | st.builds(Noted, TEXTS, TEXTS) | st.lists(TEXTS, max_size=3)
WIDTHS = st.integers(60, 140)  # the narrowest that is laid out for


@st.composite
def tables(draw: st.DrawFn) -> Table:
    """Any table."""
    columns = [
        Column(
            str(number),
            draw(TITLES),
            kind=draw(st.sampled_from(["text", "word", "number"])),
            fixed=draw(st.booleans()),
        )
        for number in range(draw(st.integers(1, 4)))
    ]
    rows = [
        {"enabled": draw(st.booleans()), **{column.key: draw(CELLS) for column in columns}}
        for _ in range(draw(st.integers(0, 4)))
    ]
    return Table(rows, columns, draw(TEXTS), draw(TEXTS))


SECTIONS = st.lists(
    tables()
    | st.builds(Fact, TITLES, TEXTS, st.sampled_from(["", "high", "note"]))
    | st.builds(Fact, TITLES, st.lists(TEXTS, max_size=3).map(tuple))
    | st.builds(Lines, st.lists(TEXTS, max_size=3), TEXTS, st.integers(0, 4)),
    max_size=4,
)


@given(tables(), WIDTHS, st.booleans())
def test_tables_are_laid_out_as_by_rich(table: Table, width: int, colour: bool) -> None:
    """Wrapped, folded, padded, in columns or stacked, coloured or not."""
    assert terminal.render(table, colour=colour, width=width) == by_rich.render(table, colour=colour, width=width)


@given(SECTIONS, TEXTS, WIDTHS, st.booleans())
def test_pages_are_laid_out_as_by_rich(
    sections: list[Fact | Lines | Table], title: str, width: int, colour: bool
) -> None:
    """Facts, lines, tables and the space between them."""
    page = Page({}, tuple(sections), title)

    assert terminal.render(page, colour=colour, width=width) == by_rich.render(page, colour=colour, width=width)
