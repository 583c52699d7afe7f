"""Styled text as lines of a terminal: measured, wrapped between words, padded, and beside each other in columns.

Almost all text is of letters that take one place each, for which this is a few lines. What has wide or combining
letters is measured and wrapped by Rich, whose tables take longer to load than most commands to answer.
"""

import re
from collections.abc import Iterable, Sequence
from typing import Any, Final

Run = tuple[str, str]
"""A text and its style: words such as "bold red", or none."""
Line = list[Run]

_SINGLE: Final = frozenset(
    map(
        chr, [*range(0x20, 0x7F), *range(0xA0, 0xAD), *range(0xAE, 0x300), *range(0x370, 0x483), *range(0x2500, 0x25FD)]
    )
) | frozenset("…·→–—“”‘’•")  # noqa: RUF001 - the very letters
_CODES: Final = {"bold": "1", "dim": "2", "red": "31", "green": "32", "magenta": "35"}
_WORD: Final = re.compile(r"\s*\S+\s*")


def is_simple(text: str) -> bool:
    """Tell whether each letter takes one place."""
    return text.isascii() or _SINGLE.issuperset(text.replace("\n", ""))


def width_of(text: str) -> int:
    """Return how many places a text takes."""
    if is_simple(text):
        return len(text)
    from rich.cells import cell_len

    return cell_len(text)


def wrapped(runs: Sequence[Run], width: int, *, no_wrap: bool = False) -> list[Line]:
    """Return runs as lines of at most so many places, without what is white at a line's end beyond them."""
    if all(is_simple(text) for text, _ in runs):
        return list(_wrapped_simply(runs, width, no_wrap=no_wrap))
    from rich.text import Text

    whole = Text.assemble(*((text, style) for text, style in runs))
    lines: Any = whole.wrap(None, width, overflow="fold", no_wrap=no_wrap)  # type: ignore[arg-type]
    return [_runs_of(line) for line in lines]


def padded(line: Line, width: int, style: str = "", *, right: bool = False) -> Line:
    """Return a line with white to its right, or to its left, so that it takes so many places."""
    if right:
        line = _stripped(line)
    missing = width - sum(width_of(text) for text, _ in line)
    if missing <= 0:
        return line
    # What is styled as a whole is one run with its white.
    if not line or (len(line) == 1 and line[0][1] == style):
        text = line[0][0] if line else ""
        return [(" " * missing + text if right else text + " " * missing, style)]
    return [(" " * missing, style), *line] if right else [*line, (" " * missing, style)]


class Screen:
    """What is put on a terminal, or into a pipe, so many places wide."""

    def __init__(self, width: int, *, colour: bool) -> None:
        self.width = width
        self._colour = colour
        self._parts: list[str] = []

    def put(self, *runs: Run) -> None:
        """Put text on lines of its own."""
        for line in wrapped(runs, self.width):
            self.put_line(line)

    def put_indented(self, text: str, indent: int) -> None:
        """Put text with white before each of its lines, and after the shorter ones; nothing of an empty text."""
        longest = max(map(width_of, text.split("\n")))
        if not longest:
            return
        room = min(longest + indent, self.width)
        for line in wrapped([(text, "")], room - indent):
            self.put_line([(" " * indent, ""), *padded(line, room - indent)])

    def put_line(self, line: Iterable[Run]) -> None:
        """Put one line as it is."""
        self._parts += [self._shown(text, style) for text, style in line if text]
        self._parts.append("\n")

    def _shown(self, text: str, style: str) -> str:
        if not style or not self._colour:
            return text
        codes = ";".join(_CODES[word] for word in style.split())
        return f"\x1b[{codes}m{text}\x1b[0m"

    @property
    def text(self) -> str:
        """All that was put."""
        return "".join(self._parts)


def _wrapped_simply(runs: Sequence[Run], width: int, *, no_wrap: bool) -> Iterable[Line]:
    whole = "".join(text for text, _ in runs)
    begin = 0
    for text in whole.split("\n"):
        ends = [*(() if no_wrap else _breaks(text, width)), len(text)]
        at = 0
        for end in ends:
            piece = text[at:end]
            if not no_wrap and len(piece) > width:
                piece = piece[: max(width, len(piece.rstrip()))]
            yield _cut(runs, begin + at, begin + at + len(piece[:width]))
            at = end
        begin += len(text) + 1


def _breaks(text: str, width: int) -> list[int]:
    """Return where a line is broken: before a word that has no room left, and inside one that is too long for any."""
    breaks: list[int] = []
    taken = 0
    for found in _WORD.finditer(text):
        start, word = found.start(), found[0]
        needed = len(word.rstrip())
        if width - taken >= needed:
            taken += len(word)
        elif needed > width:
            breaks += [start + at for at in range(0, len(word), width) if start + at]
            taken = len(word) % width or width
        elif taken and start:
            breaks.append(start)
            taken = len(word)
    return breaks


def _cut(runs: Sequence[Run], begin: int, end: int) -> Line:
    line: Line = []
    at = 0
    for text, style in runs:
        part = text[max(begin - at, 0) : max(end - at, 0)]
        at += len(text)
        if part:
            line.append((part, style))
    return line


def _stripped(line: Line) -> Line:
    while line and not line[-1][0].rstrip():
        line = line[:-1]
    return [*line[:-1], (line[-1][0].rstrip(), line[-1][1])] if line else []


def _runs_of(line: Any) -> Line:
    """Return the runs of a line of Rich, whose spans follow each other here."""
    runs: Line = []
    at = 0
    for span in sorted(line.spans, key=lambda one: one.start):
        if span.start > at:
            runs.append((line.plain[at : span.start], ""))
        if span.end > span.start:
            runs.append((line.plain[span.start : span.end], str(span.style)))
        at = max(at, span.end)
    rest = line.plain[at:]
    return [*runs, (rest, "")] if rest else runs
