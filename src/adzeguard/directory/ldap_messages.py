"""Reads the answers of a search from the bytes of LDAP messages (RFC 4511 section 4.5.2, encoded as in section 5.1).

The LDAP library decodes an entry into two dictionaries through a general ASN.1 machine. A search answers with three
kinds of message of a fixed shape, which are read here straight from the bytes, several times quicker.
"""

from adzeguard.core.errors import DirectoryError
from adzeguard.core.values import dataclass

SEARCH_ENTRY = 0x64
SEARCH_DONE = 0x65
EXTENDED_RESPONSE = 0x78
_CONTROLS = 0xA0
_PAGED_RESULTS = b"1.2.840.113556.1.4.319"
_LONGEST_MESSAGE = 256 * 1024 * 1024


class BrokenAnswerError(DirectoryError):
    """The server's answer is not LDAP."""


@dataclass(frozen=True, slots=True)
class Done:
    """The end of a search: the result code (RFC 4511 appendix A) and the cookie of the next page (RFC 2696)."""

    code: int
    diagnostic: str
    cookie: bytes


def message_end(buffer: bytes | bytearray, start: int) -> int | None:
    """Return where the message that begins at `start` ends, or nothing while bytes are still missing."""
    if start >= len(buffer):
        return None
    if buffer[start] != 0x30:  # noqa: PLR2004 - the tag of a sequence
        raise BrokenAnswerError("the server's answer is not LDAP", "Check the address and port")
    if start + 2 > len(buffer) or (buffer[start + 1] & 0x80 and start + 2 + (buffer[start + 1] & 0x7F) > len(buffer)):
        return None
    length, body = _length(buffer, start + 1)
    if length > _LONGEST_MESSAGE:
        raise BrokenAnswerError(f"the server announces an answer of {length} bytes, more than is read")
    return body + length if body + length <= len(buffer) else None


def message_kind(message: bytes) -> tuple[int, int, int]:
    """Return the message's number, the tag of its operation, and where the operation begins."""
    try:
        _, body = _length(message, 1)
        size, at = _length(message, body + 1)
        return int.from_bytes(message[at : at + size], "big"), message[at + size], at + size
    except IndexError as error:
        raise BrokenAnswerError("the server's answer is cut off") from error


def read_entry(message: bytes) -> tuple[str, dict[str, list[bytes]]]:
    """Return the name and the attributes of a search result entry; attribute names are lower-case."""
    try:
        _, _, at = message_kind(message)
        _, at = _length(message, at + 1)
        size, at = _length(message, at + 1)
        dn = message[at : at + size].decode("utf-8", "surrogateescape")
        size, at = _length(message, at + size + 1)
        attributes: dict[str, list[bytes]] = {}
        end = _inside(message, at + size)
        while at < end:
            _, at = _length(message, at + 1)
            size, at = _length(message, at + 1)
            name = message[at : at + size].decode("ascii", "replace").lower()
            size, at = _length(message, at + size + 1)
            values = []
            last = _inside(message, at + size)
            while at < last:
                size, at = _length(message, at + 1)
                values.append(message[at : _inside(message, at + size)])
                at += size
            attributes[name] = values
    except IndexError as error:
        raise BrokenAnswerError("the server's answer is cut off") from error
    return dn, attributes


def read_done(message: bytes) -> Done:
    """Return how a search ended, and the cookie when there is another page."""
    try:
        _, _, at = message_kind(message)
        size, at = _length(message, at + 1)
        end = at + size
        size, at = _length(message, at + 1)
        code = int.from_bytes(message[at : at + size], "big")
        size, at = _length(message, at + size + 1)
        size, at = _length(message, at + size + 1)
        diagnostic = message[at : at + size].decode("utf-8", "replace").rstrip("\0")
        return Done(code, diagnostic, _cookie(message, end))
    except IndexError as error:
        raise BrokenAnswerError("the server's answer is cut off") from error


def _cookie(message: bytes, at: int) -> bytes:
    if at >= len(message) or message[at] != _CONTROLS:
        return b""
    size, at = _length(message, at + 1)
    end = at + size
    while at < end:
        size, at = _length(message, at + 1)
        next_control = at + size
        size, at = _length(message, at + 1)
        kind = message[at : at + size]
        at += size
        if at < next_control and message[at] == 0x01:  # criticality, which may be left out
            at += 3
        if kind == _PAGED_RESULTS and at < next_control:
            _, at = _length(message, at + 1)
            _, at = _length(message, at + 1)
            size, at = _length(message, at + 1)
            size, at = _length(message, at + size + 1)
            return bytes(message[at : at + size])
        at = next_control
    return b""


def _inside(message: bytes, end: int) -> int:
    """A length that points behind the message is a lie of the server's."""
    if end > len(message):
        raise IndexError
    return end


def _length(message: bytes | bytearray, at: int) -> tuple[int, int]:
    """Return a length and where the content begins (X.690 section 8.1.3)."""
    first = message[at]
    if first < 0x80:  # noqa: PLR2004 - the short form
        return first, at + 1
    count = first & 0x7F
    if not 0 < count <= 8:  # noqa: PLR2004 - more than 64 bits of length is never meant
        raise BrokenAnswerError("the server's answer is not LDAP", "Check the address and port")
    end = at + 1 + count
    if end > len(message):
        raise IndexError
    return int.from_bytes(message[at + 1 : end], "big"), end
