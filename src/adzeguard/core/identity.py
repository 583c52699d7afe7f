"""SIDs, distinguished names and the names people type."""

import struct
import uuid
from collections.abc import Iterator
from typing import Final

from adzeguard.core.errors import InputError

_LONGEST_SID = 15  # sub-authorities, [MS-DTYP] 2.4.2

_LONGEST_NUMBER: Final = 15  # digits of 2^48, the highest authority
_SPECIAL: Final = '",+;<>\\'


OF_A_DOMAIN: Final = "S-1-5-21-"
"""How the SIDs begin that domains and machines give out ([MS-DTYP] 2.4.2.4)."""


_BY_SID: Final = "<SID="


def dn_of_sid(sid: str) -> str:
    """Return the form of a DN that says a SID and no place ([MS-ADTS] 3.1.1.3.1.2.4)."""
    return f"{_BY_SID}{sid}>"


def sid_of_dn(dn: str) -> str:
    """Return the SID that a DN of this form says; an empty text for any other DN."""
    return dn[len(_BY_SID) : -1] if dn.startswith(_BY_SID) and dn.endswith(">") else ""


class Sid(str):
    """A security identifier in its text form, "S-1-5-21-…-500" ([MS-DTYP] 2.4.2.1).

    It is a `str`, so that it hashes, sorts and serialises as one; make it from outside values with `parse`
    or `from_bytes`, which raise `InputError` for anything else.
    """

    __slots__ = ()

    @classmethod
    def parse(cls, text: str) -> "Sid":
        """Read the text form; case of the leading S does not matter."""
        parts = text.strip().upper().split("-")
        # Python takes long to make a number of thousands of digits, and refuses to at last.
        digits = all(part.isascii() and part.isdigit() and len(part) <= _LONGEST_NUMBER for part in parts[1:])
        if parts[0] != "S" or not digits or not 3 <= len(parts) <= _LONGEST_SID + 3:  # noqa: PLR2004 - S, revision, authority
            raise InputError(f"'{text[:80]}' is not a SID", "A SID looks like S-1-5-21-1-2-3-500")
        numbers = [int(part) for part in parts[1:]]
        if numbers[0] != 1 or numbers[1] >= 1 << 48 or any(n >= 1 << 32 for n in numbers[2:]):
            raise InputError(f"'{text}' is not a SID: a part is out of range", "Only revision 1 exists")
        return cls("S-" + "-".join(str(number) for number in numbers))

    @classmethod
    def from_bytes(cls, raw: bytes) -> "Sid":
        """Read the packed form: revision, count, 6 bytes authority, then 32-bit little-endian numbers."""
        if len(raw) < 8 or raw[0] != 1 or raw[1] > _LONGEST_SID or len(raw) != 8 + 4 * raw[1]:  # noqa: PLR2004 - header
            raise InputError(f"{raw[:32].hex()} is not a packed SID", "The directory's answer is damaged")
        numbers = struct.unpack_from(f"<{raw[1]}I", raw, 8)
        head = f"S-1-{int.from_bytes(raw[2:8], 'big')}"
        return cls("-".join((head, *map(str, numbers))))

    def to_bytes(self) -> bytes:
        """Return the packed form."""
        numbers = [int(part) for part in self.split("-")[1:]]
        head = bytes((1, len(numbers) - 2)) + numbers[1].to_bytes(6, "big")
        return head + struct.pack(f"<{len(numbers) - 2}I", *numbers[2:])

    @property
    def authority(self) -> str:
        """All but the last number: for an account, the SID of its domain or host."""
        return self.rpartition("-")[0]

    @property
    def rid(self) -> int:
        """The last number, which is the account within its authority."""
        return int(self.rpartition("-")[2])


def looks_like_sid(text: str) -> bool:
    """Tell whether somebody who typed this means a SID."""
    return text[:4].upper() == "S-1-"


def guid_text(raw: bytes) -> str:
    """Return the usual text of a packed GUID (little-endian, [MS-DTYP] 2.3.4.2)."""
    return str(uuid.UUID(bytes_le=raw))


def split_dn(dn: str) -> list[str]:
    """Split a distinguished name into its relative names, leaf first, escapes kept (RFC 4514 section 3)."""
    parts: list[str] = []
    start = position = 0
    while position < len(dn):
        if dn[position] == "\\":
            position += 2
            continue
        if dn[position] == ",":
            parts.append(_trimmed(dn[start:position]))
            start = position + 1
        position += 1
    parts.append(_trimmed(dn[start:]))
    return parts


def fold_dn(dn: str) -> str:
    """Return the form in which two spellings of the same distinguished name are equal.

    Letter case, spaces around commas and equal signs, and the choice of escape are folded away.
    """
    if "\\" not in dn and ", " not in dn and " ," not in dn and " =" not in dn and "= " not in dn:
        return dn.casefold()
    return ",".join(_fold_relative_name(part) for part in split_dn(dn))


def _fold_relative_name(part: str) -> str:
    attribute, _, value = part.partition("=")
    # An equal sign folds to a bare one, since names without any escape are folded by their letters alone.
    return f"{attribute.strip()}={_escaped(unescape_dn_value(_trimmed(value)), _SPECIAL)}".casefold()


def _trimmed(part: str) -> str:
    """Take away the spaces around a part, but not one that is escaped because it belongs to the value."""
    bare = part.strip(" ")
    backslashes = len(bare) - len(bare.rstrip("\\"))
    return bare + " " if backslashes % 2 and part.rstrip(" ") != part else bare


def parent_dn(dn: str) -> str:
    """Return the name of the container, or the empty string above the top."""
    if "\\" not in dn:
        return dn.partition(",")[2]
    return ",".join(split_dn(dn)[1:])


def upwards(dn: str) -> Iterator[str]:
    """Yield a name, and those of all containers above it, nearest first; nothing of an empty one."""
    while dn:
        yield dn
        dn = parent_dn(dn)


def is_below(dn: str, ancestor: str) -> bool:
    """Tell whether `dn` lies below `ancestor`; both must be folded."""
    return dn.endswith("," + ancestor)


def escape_dn_value(value: str) -> str:
    """Escape a value so that it can stand in a distinguished name (RFC 4514 section 2.4).

    The equal sign need not be escaped by the standard, and is: a real directory server refuses a name with a bare one.
    """
    return _escaped(value, _SPECIAL + "=")


def _escaped(value: str, special: str) -> str:
    escaped = "".join(f"\\{c}" if c in special else "\\00" if c == "\0" else c for c in value)
    if escaped[:1] in ("#", " "):
        escaped = "\\" + escaped
    if len(value) > 1 and value.endswith(" "):
        escaped = escaped[:-1] + "\\ "
    return escaped


def unescape_dn_value(value: str) -> str:
    """Undo `escape_dn_value`, hex pairs of UTF-8 included."""
    raw = bytearray()
    position = 0
    while position < len(value):
        if value[position] != "\\":
            raw += value[position].encode()
            position += 1
            continue
        pair = value[position + 1 : position + 3]
        if len(pair) == 2 and all(c in "0123456789abcdefABCDEF" for c in pair):  # noqa: PLR2004 - a hex pair
            raw.append(int(pair, 16))
            position += 3
        else:
            raw += pair[:1].encode()
            position += 2
    return raw.decode(errors="replace")


def leaf_name(dn: str) -> str:
    """Return the value of the first relative name: "Hosts" of "OU=Hosts,DC=lowmere,DC=example"."""
    return unescape_dn_value(split_dn(dn)[0].partition("=")[2])


def domain_of_dn(dn: str) -> str:
    """Return the DNS name that the DC parts of a distinguished name spell."""
    parts = (part.partition("=") for part in split_dn(dn))
    return ".".join(value for attribute, _, value in parts if attribute.strip().casefold() == "dc")
