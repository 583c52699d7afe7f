"""One access control entry of a security descriptor ([MS-DTYP] 2.4.4)."""

import struct
import uuid
from dataclasses import replace
from enum import IntEnum, IntFlag
from functools import lru_cache
from typing import Final

from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

_HEADER: Final = struct.Struct("<BBH")
_MASK_AT: Final = 4
_GUID_BYTES: Final = 16
_HAS_OBJECT_TYPE: Final = 1
_HAS_INHERITED_TYPE: Final = 2
_SID_HEAD: Final = 8
_ALIGNED: Final = 4


class AceKind(IntEnum):
    """The kinds that grant or deny; every other kind is carried as it is."""

    ALLOW = 0x00
    DENY = 0x01
    ALLOW_OBJECT = 0x05
    DENY_OBJECT = 0x06
    ALLOW_CALLBACK = 0x09
    DENY_CALLBACK = 0x0A
    ALLOW_CALLBACK_OBJECT = 0x0B
    DENY_CALLBACK_OBJECT = 0x0C


_OBJECT_KINDS: Final = frozenset(
    {
        AceKind.ALLOW_OBJECT,
        AceKind.DENY_OBJECT,
        AceKind.ALLOW_CALLBACK_OBJECT,
        AceKind.DENY_CALLBACK_OBJECT,
    }
)
_DENYING: Final = frozenset(
    {
        AceKind.DENY,
        AceKind.DENY_OBJECT,
        AceKind.DENY_CALLBACK,
        AceKind.DENY_CALLBACK_OBJECT,
    }
)
_CONDITIONAL: Final = frozenset(
    {
        AceKind.ALLOW_CALLBACK,
        AceKind.DENY_CALLBACK,
        AceKind.ALLOW_CALLBACK_OBJECT,
        AceKind.DENY_CALLBACK_OBJECT,
    }
)
_AUDIT_KINDS: Final = frozenset({0x02, 0x07, 0x0D, 0x0F})
_AUDIT_OBJECT_KINDS: Final = frozenset({0x07, 0x0F})


class AceFlag(IntFlag):
    """How an entry is handed on to what lies below ([MS-DTYP] 2.4.4.1)."""

    OBJECT_INHERIT = 0x01
    CONTAINER_INHERIT = 0x02
    NO_PROPAGATE = 0x04
    INHERIT_ONLY = 0x08
    INHERITED = 0x10


class Right(IntFlag):
    """What an access mask can hold on a directory object ([MS-ADTS] 5.1.3.2)."""

    CREATE_CHILD = 0x1
    DELETE_CHILD = 0x2
    LIST_CHILDREN = 0x4
    SELF_WRITE = 0x8
    READ_PROPERTY = 0x10
    WRITE_PROPERTY = 0x20
    DELETE_TREE = 0x40
    LIST_OBJECT = 0x80
    CONTROL_ACCESS = 0x100
    DELETE = 0x10000
    READ_CONTROL = 0x20000
    WRITE_DAC = 0x40000
    WRITE_OWNER = 0x80000
    SYSTEM_SECURITY = 0x1000000
    GENERIC_ALL = 0x10000000
    GENERIC_EXECUTE = 0x20000000
    GENERIC_WRITE = 0x40000000
    GENERIC_READ = 0x80000000


EVERYTHING: Final = 0xF01FF
_GENERIC_READ: Final = 0x20094
_GENERIC_WRITE: Final = 0x20028
_GENERIC_EXECUTE: Final = 0x20004


_LOWEST_GENERIC: Final = int(Right.GENERIC_ALL)
_MEANINGS: Final = (  # plain numbers: this is asked for every entry, and the enumeration is ten times slower
    (int(Right.GENERIC_ALL), EVERYTHING),
    (int(Right.GENERIC_READ), _GENERIC_READ),
    (int(Right.GENERIC_WRITE), _GENERIC_WRITE),
    (int(Right.GENERIC_EXECUTE), _GENERIC_EXECUTE),
)
_INHERITED: Final = int(AceFlag.INHERITED)
_INHERIT_ONLY: Final = int(AceFlag.INHERIT_ONLY)


def without_generic(mask: int) -> int:
    """Return the mask with generic rights spelt out as those of a directory object ([MS-ADTS] 5.1.3.2)."""
    if mask < _LOWEST_GENERIC:
        return mask
    spelt = mask & 0x0FFFFFFF
    for generic, meaning in _MEANINGS:
        spelt |= meaning if mask & generic else 0
    return spelt


@dataclass(frozen=True, slots=True)
class Ace:
    """One entry. `object_type` and `inherited_type` are GUIDs, `tail` what follows the SID (a condition, padding).

    An entry of a kind that is not understood has no SID and keeps its whole body in `tail`.
    """

    kind: int
    flags: int
    mask: int = 0
    sid: Sid | None = None
    object_type: uuid.UUID | None = None
    inherited_type: uuid.UUID | None = None
    tail: bytes = b""

    @property
    def denies(self) -> bool:
        """Whether it takes rights away."""
        return self.kind in _DENYING

    @property
    def decides(self) -> bool:
        """Whether it grants or denies, rather than asking for a log entry or being of a kind not understood."""
        return self.sid is not None and self.kind in AceKind._value2member_map_

    @property
    def conditional(self) -> bool:
        """Whether it holds under a condition only, which a directory does not look at: it then holds never."""
        return self.kind in _CONDITIONAL

    @property
    def inherited(self) -> bool:
        """Whether it came from above."""
        return bool(self.flags & _INHERITED)

    @property
    def inherit_only(self) -> bool:
        """Whether it means nothing here and is only handed on."""
        return bool(self.flags & _INHERIT_ONLY)

    def with_flags(self, flags: int) -> "Ace":
        """Return the same entry with other flags."""
        return replace(self, flags=flags)

    def to_bytes(self) -> bytes:
        """Return the entry as it stands in a list."""
        body = self.tail
        if self.sid is not None:
            types = (self.object_type, self.inherited_type)
            body = struct.pack("<I", self.mask)
            if self.kind in _OBJECT_KINDS or self.kind in _AUDIT_OBJECT_KINDS:
                present = (types[0] is not None) * _HAS_OBJECT_TYPE + (types[1] is not None) * _HAS_INHERITED_TYPE
                body += struct.pack("<I", present) + b"".join(t.bytes_le for t in types if t is not None)
            body += self.sid.to_bytes() + self.tail
        return _HEADER.pack(self.kind, self.flags, _HEADER.size + len(body)) + body

    @staticmethod
    def from_bytes(raw: bytes) -> "Ace":
        """Read one entry; what cannot be taken apart is kept whole. `InputError` when it is cut short."""
        return _read(bytes(raw))


@lru_cache(maxsize=100_000)
def _read(raw: bytes) -> Ace:
    """Thousands of descriptors are made of the same few entries, so each is taken apart once."""
    if len(raw) < _HEADER.size:
        raise InputError("an access control entry is cut short", "The directory's answer is damaged")
    kind, flags, size = _HEADER.unpack_from(raw)
    if size != len(raw) or size % _ALIGNED:
        raise InputError("the length of an access control entry is wrong", "The directory's answer is damaged")
    read = _taken_apart(kind, flags, raw)
    return read if read is not None and read.to_bytes() == raw else Ace(kind, flags, tail=raw[_HEADER.size :])


def _taken_apart(kind: int, flags: int, raw: bytes) -> Ace | None:
    if (kind not in AceKind._value2member_map_ and kind not in _AUDIT_KINDS) or len(raw) < _MASK_AT + 4:
        return None
    (mask,) = struct.unpack_from("<I", raw, _MASK_AT)
    at = _MASK_AT + 4
    types: list[uuid.UUID | None] = [None, None]
    if kind in _OBJECT_KINDS or kind in _AUDIT_OBJECT_KINDS:
        if len(raw) < at + 4:
            return None
        (present,) = struct.unpack_from("<I", raw, at)
        at += 4
        for place, bit in enumerate((_HAS_OBJECT_TYPE, _HAS_INHERITED_TYPE)):
            if present & bit:
                if len(raw) < at + _GUID_BYTES:
                    return None
                types[place] = uuid.UUID(bytes_le=raw[at : at + _GUID_BYTES])
                at += _GUID_BYTES
    if len(raw) < at + _SID_HEAD:
        return None
    end = at + _SID_HEAD + 4 * raw[at + 1]
    try:
        sid = Sid.from_bytes(raw[at:end])
    except InputError:
        return None
    return Ace(kind, flags, mask, sid, types[0], types[1], raw[end:])
