"""Tables as a document on paper (PDF, ISO 32000): contents, page numbers, and the head of a table on each page.

Rows are laid out by what stands in them and drawn page by page: the usual way, a table as one object, takes more than a
gigabyte for a hundred thousand rows.
"""

import io
from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any, Final

from reportlab.lib.pagesizes import A4, landscape
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from adzeguard.core.values import dataclass
from adzeguard.core.views.page import Lines, Picture, View
from adzeguard.core.views.reports import tables_of
from adzeguard.core.views.table import Table
from adzeguard.core.wording import when_utc
from adzeguard.report.cells import whole_cell
from adzeguard.report.safe import for_terminal

_WIDTH, _HEIGHT = landscape(A4)
_MARGIN: Final = 40.0
_SIZE: Final = 7.5
_LINE: Final = 9.5
_GAP: Final = 8.0
_FONT, _BOLD = "Body", "Body-Bold"
_SAMPLE: Final = 400
_MOST_LINES: Final = 12
_CONTENTS: Final = 30
_TITLE: Final = 20.0
_WIDTHS: Final[dict[str, dict[str, float]]] = {}


_Row = tuple[Sequence[Sequence[str]], float]
"""The lines of each cell, and how high the row is."""


@dataclass
class _Laid:
    """One table laid out: the widths of its columns, and its rows page by page."""

    table: Table
    titles: Sequence[str]
    widths: Sequence[float]
    pages: Sequence[Sequence[_Row]]
    first_page: int = 0


def render(view: View) -> bytes:
    """Return the document. All is laid out before anything is drawn, since the contents must know the pages."""
    tables = [_laid_out(table) for table in tables_of(view)]
    lines = (
        []
        if isinstance(view, Table)
        else [s for section in view.sections if isinstance(section, Lines) for s in section.lines]
    )
    title = for_terminal(view.title or "Report")
    page = 2
    for laid in tables:
        laid.first_page = page
        page += max(len(laid.pages), 1)
    pictures = [] if isinstance(view, Table) else [one for one in view.sections if isinstance(one, Picture)]
    return _Drawing(title, lines, tables, pictures, pages=page - 1 + len(pictures)).drawn()


def _laid_out(table: Table) -> _Laid:
    _fonts()
    columns = [c for c in table.columns if c.title]
    titles, keys = [for_terminal(c.title) for c in columns], [c.key for c in columns]
    room = _WIDTH - 2 * _MARGIN - _GAP * max(len(columns) - 1, 0)
    needs = []
    for column, title in zip(columns, titles, strict=True):
        texts = [_shown(row.get(column.key)) for row in table.rows[:_SAMPLE]]
        needs.append(max([_measure(text[:200], _FONT) for text in texts] + [_measure(title, _BOLD)]) + 2)
    widths = _shared_out(needs, room)
    return _Laid(table, titles, widths, _paged(table, keys, widths))


def _paged(table: Table, keys: Sequence[str], widths: Sequence[float]) -> list[list[_Row]]:
    """Return the rows page by page; the first page has the title of the table too."""
    pages: list[list[_Row]] = []
    left = 0.0
    for row in table.rows:
        cells = [_wrapped(_shown(row.get(key)), width) for key, width in zip(keys, widths, strict=True)]
        height = max(len(lines) for lines in cells) * _LINE + 3
        if height > left:
            left = _HEIGHT - 2 * _MARGIN - _LINE - 14 - (0 if pages else _TITLE)
            pages.append([])
        pages[-1].append((cells, height))
        left -= height
    return pages


def _shared_out(needs: Sequence[float], room: float) -> list[float]:
    """Give each column what it needs where all fit, otherwise an even share of what the small ones leave."""
    if sum(needs) <= room or not needs:
        return list(needs)
    given = [0.0] * len(needs)
    left, open_ = room, set(range(len(needs)))
    while open_:
        share = left / len(open_)
        small = {place for place in open_ if needs[place] <= share}
        if not small:
            for place in open_:
                given[place] = share
            break
        for place in small:
            given[place] = needs[place]
            left -= needs[place]
        open_ -= small
    return given


class _Drawing:
    def __init__(
        self, title: str, lines: Sequence[str], tables: Sequence[_Laid], pictures: Sequence[Picture], pages: int
    ) -> None:
        self._pictures = pictures
        self._out = io.BytesIO()
        # Invariant: no moment and no random id of the document, so that the same input gives the same bytes.
        self._canvas = Canvas(self._out, pagesize=(_WIDTH, _HEIGHT), invariant=1)
        self._canvas.setTitle(title)
        self._title, self._lines, self._tables, self._pages = title, lines, tables, pages
        self.page = 1
        self._y = _HEIGHT - _MARGIN

    def drawn(self) -> bytes:
        self._front()
        for number, laid in enumerate(self._tables):
            self._next_page()
            self._canvas.bookmarkPage(f"t{number}")
            self._canvas.addOutlineEntry(for_terminal(laid.table.title), f"t{number}", 0)
            self._of_table(laid)
        for picture in self._pictures:
            self._next_page()
            self._of_picture(picture)
        self._foot()
        self._canvas.showPage()
        self._canvas.save()
        return self._out.getvalue()

    def _front(self) -> None:
        self._text(_MARGIN, self._title, _BOLD, 18)
        self._y -= 26
        for line in self._lines:
            self._text(_MARGIN, for_terminal(line), _FONT, 10)
            self._y -= 15
        self._y -= 12
        for number, laid in enumerate(self._tables[:_CONTENTS]):
            said = f"{for_terminal(laid.table.title)}: {len(laid.table.rows)} row{'s' * (len(laid.table.rows) != 1)}"
            self._text(_MARGIN, said, _FONT, 11)
            self._canvas.setFont(_FONT, 11)
            self._canvas.drawRightString(_WIDTH - _MARGIN, self._y, str(laid.first_page or ""))
            self._canvas.linkAbsolute("", f"t{number}", (_MARGIN, self._y - 3, _WIDTH - _MARGIN, self._y + 11))
            self._y -= 18

    def _of_picture(self, picture: Picture) -> None:
        self._text(_MARGIN, for_terminal(picture.title), _BOLD, 13)
        image = ImageReader(io.BytesIO(picture.png))
        wide, high = image.getSize()
        scale = min((_WIDTH - 2 * _MARGIN) / wide, (_HEIGHT - 2 * _MARGIN - 2 * _TITLE) / high)
        bottom = self._y - _TITLE - high * scale
        self._canvas.drawImage(image, _MARGIN, bottom, wide * scale, high * scale)

    def _of_table(self, laid: _Laid) -> None:
        self._text(_MARGIN, for_terminal(laid.table.title), _BOLD, 13)
        self._y -= _TITLE
        if not laid.table.rows:
            self._text(_MARGIN, for_terminal(laid.table.empty), _FONT, 10)
            return
        for number, rows in enumerate(laid.pages):
            if number:
                self._next_page()
            self._head(laid)
            for cells, height in rows:
                self._row(laid, cells, height)
        if laid.table.note:
            self._y -= 6
            self._text(_MARGIN, for_terminal(laid.table.note).partition("\n")[0], _FONT, 8)

    def _head(self, laid: _Laid) -> None:
        x = _MARGIN
        self._canvas.setFont(_BOLD, _SIZE)
        for title, width in zip(laid.titles, laid.widths, strict=True):
            self._canvas.drawString(x, self._y, _cut(title, width, _BOLD))
            x += width + _GAP
        self._canvas.setLineWidth(0.8)
        self._canvas.line(_MARGIN, self._y - 3, _WIDTH - _MARGIN, self._y - 3)
        self._y -= _LINE + 4

    def _row(self, laid: _Laid, cells: Sequence[Sequence[str]], height: float) -> None:
        x = _MARGIN
        self._canvas.setFont(_FONT, _SIZE)
        for lines, width in zip(cells, laid.widths, strict=True):
            for number, line in enumerate(lines):
                self._canvas.drawString(x, self._y - number * _LINE, line)
            x += width + _GAP
        self._y -= height
        self._canvas.setLineWidth(0.2)
        self._canvas.line(_MARGIN, self._y + _LINE - 2, _WIDTH - _MARGIN, self._y + _LINE - 2)

    def _next_page(self) -> None:
        self._foot()
        self._canvas.showPage()
        self.page += 1
        self._y = _HEIGHT - _MARGIN

    def _foot(self) -> None:
        self._canvas.setFont(_FONT, 8)
        said = f"{self.page} of {self._pages}" if self._pages else str(self.page)
        self._canvas.drawRightString(_WIDTH - _MARGIN, _MARGIN / 2, said)
        self._canvas.drawString(_MARGIN, _MARGIN / 2, self._title)

    def _text(self, x: float, text: str, font: str, size: float) -> None:
        self._canvas.setFont(font, size)
        self._canvas.drawString(x, self._y, text)


def _shown(value: Any) -> str:
    if isinstance(value, datetime):
        return when_utc(value)
    return for_terminal(whole_cell(value)).replace("\n", " ")


def _wrapped(text: str, width: float) -> list[str]:
    """Break a text between words, and inside one that is too long for a line; of very long texts the beginning."""
    if len(text) * _SIZE * 0.45 < width and _measure(text, _FONT) <= width:
        return [text]
    lines: list[str] = []
    line = ""
    for word in _fitting_words(text, width):
        longer = f"{line} {word}" if line else word
        if _measure(longer, _FONT) <= width:
            line = longer
            continue
        lines.append(line)
        line = word
        if len(lines) == _MOST_LINES:
            return [*lines[:-1], f"{lines[-1]}…"]
    return [*lines, line] if line or not lines else lines


def _fitting_words(text: str, width: float) -> Iterator[str]:
    for word in text.split(" "):
        rest = word
        while _measure(rest, _FONT) > width and len(rest) > 1:
            fits = max(1, int(len(rest) * width / _measure(rest, _FONT)))
            yield rest[:fits]
            rest = rest[fits:]
        yield rest


def _cut(text: str, width: float, font: str) -> str:
    while text and _measure(text, font) > width:
        text = text[:-1]
    return text


def _measure(text: str, font: str) -> float:
    """Return how wide a text is, letter by letter: each is measured once."""
    known = _WIDTHS.setdefault(font, {})
    total = 0.0
    for letter in text:
        width = known.get(letter)
        if width is None:
            width = known[letter] = pdfmetrics.stringWidth(letter, font, _SIZE)
        total += width
    return total


@cache
def _fonts() -> None:
    """Take the fonts that come with the library for figures: they have the letters of most scripts."""
    import matplotlib as mpl

    folder = Path(mpl.get_data_path()) / "fonts/ttf"
    pdfmetrics.registerFont(TTFont(_FONT, str(folder / "DejaVuSans.ttf")))
    pdfmetrics.registerFont(TTFont(_BOLD, str(folder / "DejaVuSans-Bold.ttf")))
