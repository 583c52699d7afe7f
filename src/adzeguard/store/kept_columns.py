"""What holds now, copied into one file of columns beside the store, which is mapped and read only where it is asked.

A look reads kilobytes of it where the store would give everything. The file tells of which collection it is; it is
brought on by what has changed since, and made anew where it is missing, torn, of another form or of another store.
Each block of it has a sum of its own, which is compared when the block is first read: a file that lost some blocks, as
after a power cut, never gives an answer.

Form: the mark, the length of the header, the header as JSON (number and stamp of the collection, columns), its sum, the
columns, each of little-endian numbers and from a whole page on, and at last the sums of all blocks of all columns.
"""

import json
import mmap
import os
import struct
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any, Final
from zlib import crc32

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.values import dataclass
from adzeguard.private_files import kept_whole

_MARK: Final = b"adzeguard-kept-1"
_NUMBER: Final = struct.Struct("<I")
_BEFORE_HEADER: Final = len(_MARK) + _NUMBER.size
_PAGE: Final = 4096
_BLOCK: Final = 16384
Columns = Mapping[str, NDArray[Any]]


@dataclass(frozen=True, slots=True)
class KeptFile:
    """A file of columns that was opened. `stamp` is what tells one collection of this number from another."""

    number: int
    stamp: str
    columns: "Checked"


class Checked:
    """Columns of which each block is compared with its sum when it is first read.

    Where one differs, `anew` is called, and gives the same columns from elsewhere; `StoreDamagedError` where there is
    none yet.
    """

    def __init__(self, columns: Columns, sums: Columns | None = None, mapped: mmap.mmap | None = None) -> None:
        """`sums` are those of the blocks of each column; without them nothing needs comparing."""
        self._mapped = mapped
        self._columns = columns
        self._sums = sums or {}
        self._seen = {name: np.zeros(len(of), bool) for name, of in self._sums.items()}
        self.anew: Callable[[], Columns] | None = None

    @property
    def names(self) -> frozenset[str]:
        """The names of the columns."""
        return frozenset(self._columns)

    def length(self, name: str) -> int:
        """Return how many numbers a column has."""
        return len(self._columns[name])

    def whole(self, name: str) -> NDArray[Any]:
        """Return a column, all of it compared."""
        return self.read(name, np.array([0]), np.array([len(self._columns[name])]))

    def all(self) -> Columns:
        """Return all columns, all of them compared."""
        return {name: self.whole(name) for name in self._columns}

    def all_but(self, *names: str) -> Columns:
        """Return the others, all of them compared."""
        return {name: self.whole(name) for name in self._columns if name not in names}

    def at(self, name: str, places: NDArray[np.integer]) -> NDArray[Any]:
        """Return the numbers of a column at some places."""
        found: NDArray[Any] = self.read(name, places, places + 1)[places]
        return found

    def read(self, name: str, begins: NDArray[np.integer], ends: NDArray[np.integer]) -> NDArray[Any]:
        """Return a column of which only these stretches may be looked at."""
        column = self._columns[name]
        if name not in self._sums or self._seen[name].all():
            return column
        each = _BLOCK // column.itemsize
        some = ends > begins
        first, behind = begins[some] // each, (ends[some] - 1) // each + 1
        blocks = len(self._sums[name])
        opened = np.bincount(first, minlength=blocks + 1) - np.bincount(behind, minlength=blocks + 1)
        fresh = np.flatnonzero((np.cumsum(opened)[:-1] > 0) & ~self._seen[name])
        for block in fresh.tolist():
            if crc32(column[block * each : (block + 1) * each].data) != self._sums[name][block]:
                return self._from_elsewhere()[name]
        self._seen[name][fresh] = True
        return column

    def stretch(self, name: str, begin: int, end: int) -> NDArray[Any]:
        """Return one stretch of a column: the same as by `read`, a hundred times as quick for one of a few numbers."""
        column = self._columns[name]
        if name in self._sums and end > begin:
            each = _BLOCK // column.itemsize
            seen = self._seen[name]
            if not all(seen[block] for block in range(begin // each, (end - 1) // each + 1)):
                column = self.read(name, np.array([begin]), np.array([end]))
        return column[begin:end]

    def let_go(self) -> None:
        """Let the system take back what was read, where it stands in a file: the next look reads it from there again.

        A few thousand names are spread over all of it, and every page that was seen counts as memory of the program.
        """
        if self._mapped is not None:
            self._mapped.madvise(mmap.MADV_DONTNEED)

    def _from_elsewhere(self) -> Columns:
        if self.anew is None:
            raise StoreDamagedError("a block differs from its sum")
        self._columns, self._sums = self.anew(), {}
        return self._columns


def grown(numbers: NDArray[Any], size: int, filled: int = 0) -> NDArray[Any]:
    """Return numbers with more of the same at the end, or none more where there are as many already."""
    more = size - len(numbers)
    return np.append(numbers, np.full(more, filled, numbers.dtype)) if more > 0 else np.ascontiguousarray(numbers)


def opened(path: Path) -> KeptFile | None:
    """Open a file of columns; None where there is none, or not a whole one of this form."""
    # Not even opening may hinder a look: what the file is good for, the store has too.
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW)
        try:
            whole = mmap.mmap(handle, 0, access=mmap.ACCESS_READ)
        finally:
            os.close(handle)
        return _read(whole)
    except (OSError, ValueError, KeyError, TypeError, IndexError, struct.error):
        return None


def _read(whole: mmap.mmap) -> KeptFile | None:
    (length,) = _NUMBER.unpack(whole[len(_MARK) : _BEFORE_HEADER])
    header = whole[_BEFORE_HEADER : _BEFORE_HEADER + min(length, _PAGE)]
    (told,) = _NUMBER.unpack(whole[_BEFORE_HEADER + length : _BEFORE_HEADER + length + _NUMBER.size])
    if whole[: len(_MARK)] != _MARK or crc32(header) != told:
        return None
    about = json.loads(header)
    at, length, told = about["sums"]
    sums = whole[at : at + length]
    if crc32(sums) != told or len(whole) != at + length:
        return None
    left = np.frombuffer(sums, "<u4")
    columns, sums_of = {}, {}
    for name, (place, kind, count) in about["columns"].items():
        columns[name] = np.frombuffer(whole, np.dtype(kind), count, place)
        blocks = -(-columns[name].nbytes // _BLOCK)
        sums_of[name], left = left[:blocks], left[blocks:]
    return KeptFile(about["number"], about["stamp"], Checked(columns, sums_of, whole))


def write(path: Path, number: int, stamp: str, columns: Columns) -> None:
    """Write columns in the place of any that are there; where nothing can be written, nothing is kept."""
    sums: list[bytes] = []
    places: dict[str, tuple[int, str, int]] = {}
    at = _PAGE  # a page is room enough for the header: the columns are always the same few
    for name, column in columns.items():
        places[name] = (at, column.dtype.str, len(column))
        each = _BLOCK // column.itemsize
        sums += [_NUMBER.pack(crc32(column[begin : begin + each].data)) for begin in range(0, len(column), each)]
        at += -(-column.nbytes // _PAGE) * _PAGE
    all_sums = b"".join(sums)
    about = {"number": number, "stamp": stamp, "columns": places, "sums": [at, len(all_sums), crc32(all_sums)]}
    header = json.dumps(about, separators=(",", ":")).encode()
    if len(header) > _PAGE - _BEFORE_HEADER - _NUMBER.size:
        raise AssertionError("more columns than fit into the header")
    with suppress(OSError), kept_whole(path) as file:
        file.write(_MARK + _NUMBER.pack(len(header)) + header + _NUMBER.pack(crc32(header)))
        for name, column in columns.items():
            file.seek(places[name][0])
            file.write(column.data)
        file.seek(at)
        file.write(all_sums)
