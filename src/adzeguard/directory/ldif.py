"""The LDIF format (RFC 2849): content records in, content records out."""

import base64
import binascii
import re
import sys
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from itertools import chain, islice
from typing import Final, overload

from adzeguard.core.errors import LdifError
from adzeguard.core.values import dataclass

_WIDTH = 76
_LONGEST_VALUE = 10 * 1024 * 1024
"""No directory server takes a longer one, unless it is told to ([MS-ADTS] 3.1.1.3.4.6, MaxReceiveBuffer)."""
_BLANK_LINES: Final = re.compile(rb"\n[\r\n]*\n")
"""With the end of the line before them: a pattern that begins with one certain letter is looked for as fast as that."""
_BLANK_AT_BEGIN: Final = re.compile(rb"[\r\n]*\n")


_MANY: Final = 1000
_LARGE: Final = 1024 * 1024
"""A larger entry is not kept value by value: a group of a million members would take nine times its size."""


class ReadAgain(Sequence[tuple[str, bytes]]):
    """The values of a large entry, read from its bytes whenever somebody goes through them."""

    def __init__(self, raw: bytes, line: int, source: str, count: int) -> None:
        self._raw = raw
        self._line = line
        self._source = source
        self._count = count

    def __iter__(self) -> Iterator[tuple[str, bytes]]:
        """Go through the values in their order."""
        lines = _unfolded(self._raw, self._line, self._source)
        next(lines)
        return _values(lines, self._source)

    def __len__(self) -> int:
        """Return how many there are."""
        return self._count

    @overload
    def __getitem__(self, at: int) -> tuple[str, bytes]: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[tuple[str, bytes]]: ...
    def __getitem__(self, at: int | slice) -> tuple[str, bytes] | Sequence[tuple[str, bytes]]:
        """Return one, or some."""
        return list(self)[at]

    def __eq__(self, other: object) -> bool:
        """Tell whether the same values stand in the same order."""
        return isinstance(other, Sequence) and list(self) == list(other)

    def __hash__(self) -> int:
        """Return the same for the same entry."""
        return hash((self._source, self._line, self._count))

    @cached_property
    def by_name(self) -> Mapping[str, Sequence[bytes]]:
        """The attributes by their names in small letters, those with many values read again and again."""
        counts = Counter(name.lower() for name, _ in self)
        few: dict[str, list[bytes]] = {name: [] for name, count in counts.items() if count <= _MANY}
        for name, value in self:
            if name.lower() in few:
                few[name.lower()].append(value)
        return {name: few[name] if name in few else OfOneName(self, name, count) for name, count in counts.items()}


class OfOneName(Sequence[bytes]):
    """The values of one attribute of a large entry, read in the same way."""

    def __init__(self, values: ReadAgain, name: str, count: int) -> None:
        self._values = values
        self._name = name
        self._count = count

    def __iter__(self) -> Iterator[bytes]:
        """Go through them in their order."""
        return (value for name, value in self._values if name.lower() == self._name)

    def __len__(self) -> int:
        """Return how many there are."""
        return self._count

    @overload
    def __getitem__(self, at: int) -> bytes: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[bytes]: ...
    def __getitem__(self, at: int | slice) -> bytes | Sequence[bytes]:
        """Return one, or some."""
        return next(islice(self, at, None)) if isinstance(at, int) and at >= 0 else list(self)[at]


@dataclass(slots=True)
class Record:
    """One entry as it stands in a file: its bytes with the blank line that ends it, and what they say.

    `lead` is what stands before it and belongs to no entry: comments, the version line.
    """

    dn: str
    values: Sequence[tuple[str, bytes]]
    raw: bytes
    line: int
    lead: bytes = b""


def read_records(data: bytes, source: str) -> tuple[list[Record], bytes]:
    """Read content records, and what stands after the last; `LdifError` names the file and the line of what is wrong.

    The leads, the entries and the rest, joined, are the file again. A value given by URL is refused, since a file
    must not make the tool open others.
    """
    records: list[Record] = []
    lead = b""
    for raw, line in _blocks(data):
        if raw[:1] in (b"\r", b"\n") and not raw.strip(b"\r\n"):
            lead += raw
            continue
        lines = _unfolded(raw, line, source)
        first = next(lines, None)
        if first is not None and first[1].lower().startswith(b"version:"):
            if first[1][8:].strip() != b"1":
                raise LdifError(f"{source}:{first[0]}: only version 1 of LDIF exists")
            first = next(lines, None)
        if first is None:
            lead += raw
            continue
        begins = _after_lines(raw, first[0] - line)
        record = _record(first, lines, raw[begins:], source)
        record.lead = lead + raw[:begins]
        records.append(record)
        lead = b""
    return records, lead


def _after_lines(raw: bytes, count: int) -> int:
    """Return where the line after so many others begins."""
    at = 0
    for _ in range(count):
        at = raw.index(b"\n", at) + 1
    return at


def _blocks(data: bytes) -> Iterator[tuple[bytes, int]]:
    """Split after runs of blank lines, which stay with what they end, so that the parts joined are the file again."""
    begin = _BLANK_AT_BEGIN.match(data)
    runs = _BLANK_LINES.finditer(data, begin.end() if begin else 0)
    start, line = 0, 1
    for run in chain((begin,) if begin else (), runs):
        yield data[start : run.end()], line
        line += data.count(b"\n", start, run.end())
        start = run.end()
    if start < len(data):
        yield data[start:], line


def _unfolded(raw: bytes, line: int, source: str) -> Iterator[tuple[int, bytes]]:
    """Join folded lines and leave comments out, which can be folded too.

    The bytes are searched and not split: a million lines of two letters would take eighty times their size as a list.
    """
    start, last = 0, len(raw)
    while last and raw[last - 1] in b"\r\n":
        last -= 1  # not rstrip: of a large entry that would be a copy, whenever it is read
    while start < last:
        if raw.startswith(b" ", start):
            # RFC 2849 folds with one space; an editor that indents a file makes nonsense of it.
            raise LdifError(f"{source}:{line}: a line continues another, but there is none before it")
        end = raw.find(b"\n", start)
        while end >= 0 and raw.startswith(b" ", end + 1):
            end = raw.find(b"\n", end + 1)
        folded = raw[start : end if end >= 0 else len(raw)]
        text = folded.removesuffix(b"\r").replace(b"\r\n ", b"").replace(b"\n ", b"")
        if text and not text.startswith(b"#"):
            yield line, text
        if end < 0:
            return
        line += folded.count(b"\n") + 1
        start = end + 1


def _record(first_line: tuple[int, bytes], lines: Iterator[tuple[int, bytes]], raw: bytes, source: str) -> Record:
    number, first = first_line
    if not first.lower().startswith(b"dn:"):
        raise LdifError(
            f"{source}:{number}: an entry begins with dn:, not with {_shown(first)}",
            "A blank line ends an entry",
        )
    _, value = _attribute(number, first, source)
    dn = _text(value, number, source)
    found = _values(lines, source)
    large = len(raw) > _LARGE
    values = ReadAgain(raw, number, source, sum(1 for _ in found)) if large else list(found)
    if not values:
        raise LdifError(f"{source}:{number}: the entry {dn} has no attributes")
    return Record(dn, values, raw, number)


def _values(lines: Iterator[tuple[int, bytes]], source: str) -> Iterator[tuple[str, bytes]]:
    for place, text in lines:
        name, content = _attribute(place, text, source)
        if name.lower() == "changetype":
            if content.lower() != b"add":
                raise LdifError(
                    f"{source}:{place}: this file holds changes ({_shown(content)}), not entries",
                    "Export the entries themselves",
                )
            continue
        yield name, content


def _attribute(number: int, text: bytes, source: str) -> tuple[str, bytes]:
    name, colon, value = text.partition(b":")
    if not colon or not name or not name.isascii() or b" " in name:
        raise LdifError(f"{source}:{number}: {_shown(text)} is not of the form attribute: value")
    # RFC 2849 lets a value come from a file: URL; a hostile export would have root read any file here.
    if value.startswith(b"<"):
        raise LdifError(
            f"{source}:{number}: values given by URL are not read",
            "Put the value itself into the file, in base64",
        )
    if len(value) > _LONGEST_VALUE:
        raise LdifError(f"{source}:{number}: a value of {len(value)} bytes is more than is read")
    if not value.startswith(b":"):
        return sys.intern(name.decode()), value.lstrip(b" ")
    try:
        return sys.intern(name.decode()), base64.b64decode(value[1:].strip(), validate=True)
    except (binascii.Error, ValueError) as error:
        raise LdifError(f"{source}:{number}: the value of {name.decode()} is not base64: {error}") from error


def _text(value: bytes, number: int, source: str) -> str:
    try:
        return value.decode()
    except UnicodeDecodeError as error:
        raise LdifError(f"{source}:{number}: the name of an entry must be UTF-8") from error


def _shown(raw: bytes) -> str:
    return repr(raw[:40].decode("utf-8", "replace"))


def render_record(dn: str, values: list[tuple[str, bytes]]) -> bytes:
    """Return one entry in LDIF with the blank line that ends it; what is not plain text goes as base64."""
    lines = [_rendered("dn", dn.encode("utf-8", "surrogateescape"))]
    lines += [_rendered(name, value) for name, value in values]
    return b"".join(lines) + b"\n"


def _rendered(name: str, value: bytes) -> bytes:
    line = name.encode() + (b": " + value if _is_safe(value) else b":: " + base64.b64encode(value))
    folded = [line[:_WIDTH]]
    folded += [b" " + line[at : at + _WIDTH - 1] for at in range(_WIDTH, len(line), _WIDTH - 1)]
    return b"\n".join(folded) + b"\n"


def _is_safe(value: bytes) -> bool:
    """SAFE-STRING of RFC 2849: printable ASCII that neither begins with a space, colon or < nor ends with a space."""
    if value[:1] in (b" ", b":", b"<") or value.endswith(b" "):
        return False
    return value.isascii() and not any(c < 32 or c == 127 for c in value)  # noqa: PLR2004 - control characters
