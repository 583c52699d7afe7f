"""Security descriptors in their self-relative form ([MS-DTYP] 2.4.6): decoded, encoded, and changed entry by entry."""

import struct
from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import lru_cache
from operator import itemgetter
from typing import Final

from adzeguard.core.descriptors.ace import Ace, AceKind
from adzeguard.core.errors import InputError
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass

_HEADER: Final = struct.Struct("<BBHIIII")
_LIST_HEADER: Final = struct.Struct("<BBHHH")
_LENGTH: Final = struct.Struct("<H")
_LARGEST: Final = 1024 * 1024
_DIRECTORY_REVISION: Final = 4  # of a list that may hold entries about single attributes, [MS-DTYP] 2.4.5
PROTECTED: Final = 0x1000
"""The control bit that stops entries from above."""
_DACL_PRESENT: Final = 0x0004
_SELF_RELATIVE: Final = 0x8000


@dataclass(frozen=True, slots=True)
class AceList:
    """An access control list. `tail` is what stands after the last entry."""

    entries: tuple[Ace, ...]
    revision: int = _DIRECTORY_REVISION
    reserved: tuple[int, int] = (0, 0)
    tail: bytes = b""

    def to_bytes(self) -> bytes:
        """Return the list as it stands in a descriptor."""
        body = b"".join(entry.to_bytes() for entry in self.entries) + self.tail
        size = _LIST_HEADER.size + len(body)
        if size > 0xFFFF:  # noqa: PLR2004 - the length has 16 bits
            raise InputError("an access control list cannot be longer than 64 KiB", "Take grants away first")
        return _LIST_HEADER.pack(self.revision, self.reserved[0], size, len(self.entries), self.reserved[1]) + body

    @classmethod
    def from_bytes(cls, raw: bytes) -> "AceList":
        """Read a list from where it begins; what follows it is left alone."""
        if len(raw) < _LIST_HEADER.size:
            raise _damaged("an access control list is cut short")
        size = _LIST_HEADER.unpack_from(raw)[2]
        if size > len(raw) or size < _LIST_HEADER.size:
            raise _damaged("the length of an access control list is wrong")
        return _list_of(bytes(raw[:size]))


@lru_cache(maxsize=1_000)  # at most 64 MiB, whatever a directory sends
def _list_of(raw: bytes) -> AceList:
    """Objects that lie in one place mostly have one list, so each is taken apart once."""
    revision, first, _size, count, second = _LIST_HEADER.unpack_from(raw)
    entries, at = [], _LIST_HEADER.size
    for _ in range(count):
        if at + 4 > len(raw):
            raise _damaged("an access control list says that it holds more entries than it does")
        (length,) = _LENGTH.unpack_from(raw, at + 2)
        entries.append(Ace.from_bytes(raw[at : at + length]))
        at += length
    return AceList(tuple(entries), revision, (first, second), raw[at:])


@dataclass(frozen=True, slots=True)
class Descriptor:
    """A security descriptor. `layout` is the order in which its parts stand; `whole` its bytes where they are odd."""

    owner: Sid | None
    group: Sid | None
    dacl: AceList | None
    sacl: AceList | None = None
    control: int = _SELF_RELATIVE | _DACL_PRESENT
    revision: int = 1
    reserved: int = 0
    layout: tuple[str, ...] = ("owner", "group", "sacl", "dacl")
    whole: bytes = b""

    @classmethod
    def from_bytes(cls, raw: bytes) -> "Descriptor":
        """Read a descriptor; `InputError` when it is damaged. Encoding it again gives the same bytes."""
        if not _HEADER.size <= len(raw) <= _LARGEST:
            raise _damaged(f"a security descriptor cannot have {len(raw)} bytes")
        revision, reserved, control, owner, group, sacl, dacl = _HEADER.unpack_from(raw)
        places = {"owner": owner, "group": group, "sacl": sacl, "dacl": dacl}
        if revision != 1 or any(place and not _HEADER.size <= place < len(raw) for place in places.values()):
            raise _damaged("the head of a security descriptor is wrong")
        sids = {name: _sid_at(raw, places[name]) if places[name] else None for name in ("owner", "group")}
        lists = {name: AceList.from_bytes(raw[places[name] :]) if places[name] else None for name in ("sacl", "dacl")}
        layout = tuple(sorted((name for name in places if places[name]), key=lambda name: places[name]))
        read = cls(
            sids["owner"],
            sids["group"],
            lists["dacl"],
            lists["sacl"],
            control,
            revision,
            reserved,
            (*layout, *(name for name in cls.usual_layout() if name not in layout)),
        )
        end = _HEADER.size
        for name in layout:  # part after part without a gap; each is known to encode as it was
            if places[name] != end:
                return replace(read, whole=bytes(raw))
            end += 8 + 4 * raw[end + 1] if name in sids else int(_LENGTH.unpack_from(raw, end + 2)[0])
        return read if end == len(raw) else replace(read, whole=bytes(raw))

    @staticmethod
    def usual_layout() -> tuple[str, ...]:
        """The order of the parts where nothing else is known."""
        return ("owner", "group", "sacl", "dacl")

    def to_bytes(self) -> bytes:
        """Return the self-relative form."""
        if self.whole:
            return self.whole
        parts = {
            "owner": self.owner.to_bytes() if self.owner else b"",
            "group": self.group.to_bytes() if self.group else b"",
            "sacl": self.sacl.to_bytes() if self.sacl else b"",
            "dacl": self.dacl.to_bytes() if self.dacl else b"",
        }
        places = dict.fromkeys(parts, 0)
        body = b""
        for name in self.layout:
            if parts[name]:
                places[name] = _HEADER.size + len(body)
                body += parts[name]
        order = (places["owner"], places["group"], places["sacl"], places["dacl"])
        return _HEADER.pack(self.revision, self.reserved, self.control, *order) + body

    @property
    def entries(self) -> tuple[Ace, ...]:
        """The entries of the discretionary list, none where it is missing."""
        return self.dacl.entries if self.dacl else ()

    @property
    def protected(self) -> bool:
        """Whether entries from above are kept out."""
        return bool(self.control & PROTECTED)

    def with_entries(self, entries: Sequence[Ace]) -> "Descriptor":
        """Return the descriptor with other entries in its discretionary list."""
        standing = self.dacl or AceList(())
        return replace(
            self, dacl=replace(standing, entries=tuple(entries)), control=self.control | _DACL_PRESENT, whole=b""
        )

    def with_changes(self, added: Iterable[Ace], removed: Iterable[Ace], places: Sequence[int] = ()) -> "Descriptor":
        """Return the descriptor with some entries put in, each at its canonical place, and others taken out.

        What stands keeps its order, so that putting in and taking out again gives the same bytes; `places` are where
        the added ones stood once, and are taken where the order of kinds allows it. `InputError` where an entry to
        take out is not there.
        """
        entries = list(self.entries)
        for entry in removed:
            if entry not in entries:
                raise InputError("an entry to take away does not stand there any more", "Collect, and look again")
            entries.remove(entry)
        added = list(added)
        if len(places) == len(added):  # from the first to the last, so that each finds those before it in place
            for at, entry in sorted(zip(places, added, strict=True), key=itemgetter(0)):
                entries.insert(_place(entries, entry, at), entry)
        else:
            for entry in added:
                entries.insert(_canonical_place(entries, entry), entry)
        return self.with_entries(entries)


@lru_cache(maxsize=100_000)
def is_readable(raw: bytes) -> bool:
    """Tell whether a descriptor is whole. One that is not must not keep all others from being looked at."""
    try:
        Descriptor.from_bytes(raw)
    except InputError:
        return False
    return True


def _place(entries: Sequence[Ace], entry: Ace, at: int | None) -> int:
    canonical = _canonical_place(entries, entry)
    if at is None or not 0 <= at < canonical or canonical_rank(entries[at]) < canonical_rank(entry):
        return canonical
    return at if at == 0 or canonical_rank(entries[at - 1]) <= canonical_rank(entry) else canonical


def _canonical_place(entries: Sequence[Ace], entry: Ace) -> int:
    """After the last entry that may stand before it ([MS-DTYP] 2.4.5.1: own before inherited, denying before allowing).

    Among equals the new one goes last; where the list is out of order, before the first that must come after.
    """
    rank = canonical_rank(entry)
    return next((at for at, standing in enumerate(entries) if canonical_rank(standing) > rank), len(entries))


def canonical_rank(entry: Ace) -> int:
    """Return where the kind of an entry stands: own denials, own grants, then what came from above as it came."""
    if entry.inherited:
        return 4
    about_part = entry.kind in (AceKind.ALLOW_OBJECT, AceKind.DENY_OBJECT)
    return (0 if entry.denies else 2) + about_part


def out_of_order(entries: Iterable[Ace]) -> list[Ace]:
    """Return the entries of its own that deny after one that allows, where they come too late."""
    allowing, late = False, []
    for entry in entries:
        if entry.inherited:
            break
        if entry.denies and allowing:
            late.append(entry)
        allowing = allowing or (entry.decides and not entry.denies)
    return late


def _sid_at(raw: bytes, place: int) -> Sid:
    if place + 8 > len(raw):
        raise _damaged("a SID of a security descriptor is cut short")
    return Sid.from_bytes(raw[place : place + 8 + 4 * raw[place + 1]])


def _damaged(what: str) -> InputError:
    return InputError(what, "The directory's answer is damaged")
