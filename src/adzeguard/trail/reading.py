"""A log read record by record, in any form: plain, compressed, or from standard input."""

import gzip
import re
import zlib
from collections.abc import Iterator
from typing import BinaryIO, Final

from adzeguard.trail.event_xml import read_event_xml
from adzeguard.trail.own_lines import read_own_line
from adzeguard.trail.port import LineReader, NotReadError, PassedOverError, Record
from adzeguard.trail.samba import read_samba
from adzeguard.trail.samba_tickets import read_samba_ticket

LINE_READERS: Final[tuple[LineReader, ...]] = (read_samba, read_own_line, read_samba_ticket)
"""Each is asked in turn; a further form of lines is a file beside this, and a row here."""
LONGEST_LINE: Final = 1 << 20
_GZIP: Final = b"\x1f\x8b"
# RFC 5424 section 6: "<PRI>1 TIME HOST APP PROC ID STRUCTURED-DATA MSG"; the message is what is read.
_SYSLOG: Final = re.compile(r"<\d{1,3}>1 \S+ \S+ \S+ \S+ \S+ (?:-|(?:\[(?:[^\]\\]|\\.)*\])+) ?(?:\ufeff)?")
# The log of a Samba server: "[2026/11/26 03:05:31.423399,  5] ../../lib/audit.c(95)" stands above each record.
_HEADER: Final = re.compile(r"\[\d{4}/\d\d/\d\d ")


def records(file: BinaryIO) -> Iterator[Record]:
    """Yield every record of a log that is one of a form that is known, or that should be and cannot be read."""
    start = file.peek(2)[:2] if hasattr(file, "peek") else b""
    if start == _GZIP:
        with gzip.open(file) as unpacked:
            try:
                yield from _plain(unpacked)  # type: ignore[arg-type]
            except (OSError, EOFError, zlib.error) as error:
                yield Record("", trouble=f"the compressed file is damaged: {error}")
        return
    yield from _plain(file)


def _plain(file: BinaryIO) -> Iterator[Record]:
    start = file.peek(64).lstrip(b"\xef\xbb\xbf \t\r\n")[:1] if hasattr(file, "peek") else b""
    yield from read_event_xml(file) if start == b"<" and not _is_syslog(file) else lines(file)


def _is_syslog(file: BinaryIO) -> bool:
    peek = getattr(file, "peek", None)
    return peek is not None and re.match(rb"\s*<\d{1,3}>1 ", peek(64)) is not None


def is_of_plain_lines(file: BinaryIO) -> bool:
    """Tell whether a log is one of lines, neither compressed nor XML; one that cannot be peeked into is not known."""
    start = file.peek(64) if hasattr(file, "peek") else b""
    if not start or start[:2] == _GZIP:
        return False
    return start.lstrip(b"\xef\xbb\xbf \t\r\n")[:1] != b"<" or _is_syslog(file)


def whole_lines(file: BinaryIO, size: int) -> Iterator[bytes]:
    """Yield a log of lines in blocks of about so many bytes, each of whole lines. What is too long for one is cut."""
    while block := file.read(size):
        if not block.endswith(b"\n"):
            tail = rest = file.readline(LONGEST_LINE)
            while rest and not rest.endswith(b"\n"):
                rest = file.readline(LONGEST_LINE)
            block += tail
        yield block


def lines(file: BinaryIO) -> Iterator[Record]:
    """Yield the records of a log of lines. One that is longer than any record is passed over whole, and told."""
    while line := file.readline(LONGEST_LINE):
        if len(line) >= LONGEST_LINE and not line.endswith(b"\n"):
            while line and not line.endswith(b"\n"):
                line = file.readline(LONGEST_LINE)
            yield Record("", trouble="a line is longer than any record is")
            continue
        record = record_of(line.decode("utf-8", "surrogateescape"))
        if record is not None:
            yield record


def record_of(line: str) -> Record | None:
    """Return what a line tells; None for what stands around the records, such as headers and empty lines."""
    text = line.strip().removeprefix("\ufeff")
    wrapped = _SYSLOG.match(text) if text.startswith("<") else None
    message = text[wrapped.end() :] if wrapped else text
    for read in LINE_READERS:
        try:
            events = read(message)
        except NotReadError as error:
            return Record(text, trouble=str(error))
        except PassedOverError as error:
            return Record(text, passed_over=str(error))
        if events is not None:
            return Record(text, events)
    if not text or _HEADER.match(text) or not text.startswith("{"):
        return None if not wrapped else Record(text)
    return Record(text, trouble="it is of no form that is known")
