"""Single values in logs: times, SIDs, addresses."""

import re
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid
from adzeguard.trail.port import NotReadError

_LONGEST = 4096
_HIGHEST = 0xFFFFFFFF
_FRACTION = re.compile(r"\.(\d+)")


def time_of(value: Any) -> datetime:
    """Return an ISO 8601 time with its offset as one in UTC; more digits than microseconds are cut off."""
    if not isinstance(value, str):
        raise NotReadError("it tells no time")
    try:
        found = datetime.fromisoformat(value)
    except ValueError:
        try:
            found = datetime.fromisoformat(_FRACTION.sub(_to_microseconds, value.strip()))
        except ValueError as error:
            raise NotReadError(f"'{value[:40]}' is no time") from error
    if found.tzinfo is UTC:
        return found
    if found.tzinfo is None:
        raise NotReadError(f"the time '{value[:40]}' does not say in which zone")
    try:
        return found.astimezone(UTC)
    except (ValueError, OverflowError) as error:  # on the first and the last day of all
        raise NotReadError(f"'{value[:40]}' is no time") from error


def _to_microseconds(match: re.Match[str]) -> str:
    return f".{match[1][:6].ljust(6, '0')}"


def text_of(value: Any) -> str:
    """Return a text, empty where there is none; `NotReadError` for one that is too long to be a name."""
    if isinstance(value, str) and len(value) <= _LONGEST:
        if value == "-":
            return ""
        return value if value.isascii() else cleaned(value)
    if value is None:
        return ""
    raise NotReadError("a name is too long" if isinstance(value, str) else "a name is no text")


def qualified(domain: Any, name: Any) -> str:
    r"""Return DOMAIN\name of two values; the name alone where there is no domain."""
    before, account = text_of(domain), text_of(name)
    return rf"{before}\{account}" if before and account else account


def cleaned(text: str) -> str:
    r"""Return a text that can be stored: half a character, "\ud800" or a byte that is no UTF-8, stands as a number."""
    if text.isascii():
        return text
    try:
        text.encode()
    except UnicodeEncodeError:
        return text.encode("utf-8", "backslashreplace").decode()
    return text


def number_of(value: Any) -> int:
    """Return the number of an event, 0 for what is none: logs count them in 32 bits."""
    return value if type(value) is int and 0 <= value <= _HIGHEST else 0


def sid_of(value: Any) -> str:
    """Return a SID as we write it, empty where there is none."""
    return _sid(value) if isinstance(value, str) else text_of(value)


@lru_cache(maxsize=1 << 16)
def _sid(value: str) -> str:
    """The same few do most of what is logged.

    A plain text: one of a type of its own is handed to another process in three times the time.
    """
    text = text_of(value)
    if not text:
        return ""
    try:
        return str(Sid.parse(text.removeprefix("%{").removesuffix("}")))
    except InputError as error:
        raise NotReadError(f"'{text[:40]}' is no SID") from error


def address_of(value: Any) -> str:
    """Return an address without its kind and port: of ipv4:192.0.2.7:49152 it is 192.0.2.7."""
    return _address(value) if isinstance(value, str) else text_of(value)


@lru_cache(maxsize=4096)
def _address(value: str) -> str:
    text = text_of(value)
    if text.startswith(("ipv4:", "ipv6:")):
        rest = text[5:]
        text = rest.rpartition(":")[0] or rest
    return text.removeprefix("::ffff:")


def host_of(value: Any) -> str:
    r"""Return the short name of a host, as a log tells it with its domain or as \\NAME; empty for an address."""
    name = text_of(value).strip("\\ ").partition(".")[0]
    return "" if name.isdecimal() or ":" in name else name
