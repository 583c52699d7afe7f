"""The table of columns of an object: it makes the SQL, the packing and the reading."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from typing import Any, Final
from zlib import crc32

from adzeguard.core.digests import digest_begun
from adzeguard.core.estate.objects import Objects
from adzeguard.core.estate.rows import ObjectRow
from adzeguard.core.estate.texts import Texts
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass
from adzeguard.store.connection import Row


def text_hash(folded: str) -> int:
    """Return the number by which a folded name is indexed; what is found by it is compared again."""
    return crc32(folded.encode("utf-8", "surrogateescape"))


def descriptor_key(raw: bytes) -> bytes:
    """Return the key under which a descriptor is kept once."""
    return digest_begun(16, raw).digest()


@dataclass(frozen=True, slots=True)
class Known:
    """The numbers that the store has for authorities of SIDs, and the keys of descriptors, by their place here."""

    authorities: Sequence[int]
    descriptors: Sequence[bytes]


@dataclass(frozen=True, slots=True)
class Column:
    """One column. `pack` returns its value for every row of some objects; those for looking up only are not read."""

    name: str
    pack: Callable[[Objects, Known], list[Any]]
    is_read: bool = True


def _authorities(objects: Objects, known: Known) -> list[Any]:
    numbers = [*known.authorities, None]
    return [numbers[place] for place in objects.authorities.tolist()]


def _rids(objects: Objects, _known: Known) -> list[Any]:
    pairs = zip(objects.authorities.tolist(), objects.rids.tolist(), strict=True)
    return [rid if authority >= 0 else None for authority, rid in pairs]


def _descriptors(objects: Objects, known: Known) -> list[Any]:
    keys = [*known.descriptors, None]
    return [keys[place] for place in objects.descriptors_of.tolist()]


# Where these stand in a distinguished name, folding it is more than taking its letters down.
ODD_IN_A_DN: Final = (b"\\", b" ,", b", ", b" =", b"= ")


def _hashes(texts: Texts, fold: Callable[[str], str], *odd: bytes) -> list[Any]:
    """Hash every text as `text_hash` does; those that are plain without making a string of each."""
    lowered = texts.data.lower()
    hashes = [crc32(lowered[start:end]) for start, end in pairwise(texts.starts.tolist())]
    for row in texts.rows_with(*odd):
        hashes[row] = text_hash(fold(texts[row]))
    return hashes


def _keys(texts: Texts) -> list[Any]:
    """Keys are kept as hexadecimal text: all are read in one go."""
    whole = bytes.fromhex(texts.data.decode("ascii"))
    return [whole[start:end] for start, end in pairwise((texts.starts // 2).tolist())]


def _time(number: int) -> Callable[[Objects, Known], list[Any]]:
    return lambda objects, _known: objects.times[:, number].tolist()


COLUMNS: Final[tuple[Column, ...]] = (
    Column("key", lambda o, _: _keys(o.keys)),
    Column("kind", lambda o, _: o.kinds.tolist()),
    Column("flags", lambda o, _: o.flags.tolist()),
    Column("authority", _authorities),
    Column("rid", _rids),
    Column("primary_rid", lambda o, _: o.primary_group_rids.tolist()),
    Column("name", lambda o, _: list(o.names)),
    Column("name_hash", lambda o, _: _hashes(o.names, str.casefold), is_read=False),
    Column("dn", lambda o, _: list(o.dns)),
    Column("dn_hash", lambda o, _: _hashes(o.dns, fold_dn, *ODD_IN_A_DN), is_read=False),
    Column("created", _time(0)),
    Column("last_logon", _time(1)),
    Column("password_set", _time(2)),
    Column("expires", _time(3)),
    Column("descriptor", _descriptors),
    Column("details", lambda o, _: list(o.details)),
)
NAMES: Final = tuple(column.name for column in COLUMNS)


def listed(names: Sequence[str] = NAMES, prefix: str = "") -> str:
    """Return column names for a statement."""
    return ", ".join(f'{prefix}"{name}"' for name in names)


INSERT: Final = f"INSERT INTO object (id, since, {listed()}) VALUES (?, ?, {', '.join('?' * len(COLUMNS))})"
READ: Final = f"SELECT id, {listed()} FROM object WHERE until IS NULL"
SHOWN: Final = ("id", *(column.name for column in COLUMNS if column.is_read and column.name != "descriptor"))
"""What is read of an object that is shown; its descriptor is asked for where it is needed."""


def place_of(name: str) -> int:
    """Return where a column stands among all of them."""
    return NAMES.index(name)


def packed(objects: Objects, known: Known, *before: Iterable[Any]) -> Iterator[Row]:
    """Return the rows of objects as the table holds them, in the order of the ids, after the values of `before`."""
    return zip(*before, *(column.pack(objects, known) for column in COLUMNS), strict=True)


def unpacked(row: Row, authorities: Mapping[int, str]) -> ObjectRow:
    """Return the object that a row of `SHOWN` describes."""
    named = dict(zip(SHOWN, row, strict=True))
    authority = named["authority"]
    return ObjectRow(
        key=named["key"],
        kind=named["kind"],
        flags=named["flags"],
        sid=f"{authorities[authority]}-{named['rid']}" if authority is not None else "",
        primary_group_rid=named["primary_rid"],
        name=named["name"],
        dn=named["dn"],
        created=named["created"],
        last_logon=named["last_logon"],
        password_set=named["password_set"],
        expires=named["expires"],
        descriptor=b"",
        details=named["details"],
    )
