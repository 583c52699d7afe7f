"""The membership graph beside the store, both ways, in one file that is mapped and read only where it is asked.

The file is a copy of what the store holds, for one look to read kilobytes where the store would give it all. It carries
the stamp under which the store has the same memberships; of another stamp, missing, torn or of another form, it is made
anew. Each block of it has a sum of its own, which is compared when the block is first read: a file that lost some
blocks, as after a power cut, never gives an answer.

Form: the mark, the length of the header, the header as JSON (stamp, size and columns), its sum, the columns, each of
little-endian numbers and from a whole page on, and at last the sums of all blocks of all columns.
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

from adzeguard.core.estate.links import Ids, Links, gathered
from adzeguard.core.estate.membership import MembershipGraph, TurnedLinks
from adzeguard.private_files import written_whole

_MARK: Final = b"adzeguard-graph1"
_LENGTH: Final = struct.Struct("<I")
_PAGE: Final = 4096
_BLOCK: Final = 16384
_LONGEST_HEADER: Final = 65536
_LINKS: Final = ("nested", "people", "primary", "containing", "listing", "primary_of")
Columns = Mapping[str, NDArray[Any]]


class KeptGraph:
    """One such file."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def load(self, stamp: str, from_store: Callable[[], MembershipGraph]) -> MembershipGraph:
        """Return the graph of a stamp; what the file cannot give is read by `from_store`, and kept again."""

        def made_anew() -> Columns:
            columns = _columns_of(from_store())
            self._write(stamp, columns)
            return columns

        # Not even opening may hinder a look: what the file is good for, the store has too.
        try:
            columns = self._opened(stamp, made_anew)
        except (OSError, ValueError, KeyError, TypeError, IndexError, struct.error):
            columns = None
        return _graph_of(columns or _Checked(made_anew(), {}, made_anew))

    def keep(self, stamp: str, graph: MembershipGraph) -> None:
        """Write the graph of a stamp in the place of any other."""
        self._write(stamp, _columns_of(graph))

    def _write(self, stamp: str, columns: Columns) -> None:
        sums: list[bytes] = []
        places: dict[str, tuple[int, str, int]] = {}
        # A page is room enough for the header: the columns are always the same fifteen.
        at = _PAGE
        for name, column in columns.items():
            places[name] = (at, column.dtype.str, len(column))
            sums += [_LENGTH.pack(crc32(block)) for block in _blocks(column)]
            at += -(-column.nbytes // _PAGE) * _PAGE
        all_sums = b"".join(sums)
        about = {"stamp": stamp, "columns": places, "sums": [at, len(all_sums), crc32(all_sums)]}
        header = json.dumps(about).encode()
        # A copy that cannot be written, as on a full or read-only disk, is read from the store the next time too.
        with suppress(OSError), written_whole(self._path) as file:
            file.write(_MARK + _LENGTH.pack(len(header)) + header + _LENGTH.pack(crc32(header)))
            for name, column in columns.items():
                file.seek(places[name][0])
                file.write(column.data)
            file.seek(at)
            file.write(all_sums)

    def _opened(self, stamp: str, made_anew: Callable[[], Columns]) -> "_Checked | None":
        """Return the columns of the file if it is of this stamp, whole as far as its length and header tell."""
        handle = os.open(self._path, os.O_RDONLY | os.O_NOFOLLOW)
        try:
            whole = mmap.mmap(handle, 0, access=mmap.ACCESS_READ)
        finally:
            os.close(handle)
        begin = len(_MARK) + _LENGTH.size
        (length,) = _LENGTH.unpack(whole[len(_MARK) : begin])
        header = whole[begin : begin + min(length, _LONGEST_HEADER)]
        (told,) = _LENGTH.unpack(whole[begin + length : begin + length + _LENGTH.size])
        if whole[: len(_MARK)] != _MARK or crc32(header) != told:
            return None
        about = json.loads(header)
        at, length, told = about["sums"]
        sums = whole[at : at + length]
        if about["stamp"] != stamp or crc32(sums) != told or len(whole) != at + length:
            return None
        left = np.frombuffer(sums, "<u4")
        columns, sums_of = {}, {}
        for name, (place, kind, count) in about["columns"].items():
            columns[name] = np.frombuffer(whole, np.dtype(kind), count, place)
            blocks = -(-columns[name].nbytes // _BLOCK)
            sums_of[name], left = left[:blocks], left[blocks:]
        return _Checked(columns, sums_of, made_anew)


class _Checked:
    """Columns of which each block is compared with its sum when it is first read."""

    def __init__(self, columns: Columns, sums: Columns, made_anew: Callable[[], Columns]) -> None:
        self._columns = columns
        self._sums = sums
        self._made_anew = made_anew
        self._seen = {name: np.zeros(len(of), bool) for name, of in sums.items()}

    def length(self, name: str) -> int:
        """Return how many numbers a column has."""
        return len(self._columns[name])

    def whole(self, name: str) -> NDArray[Any]:
        """Return a column, all of it compared."""
        return self.read(name, np.array([0]), np.array([len(self._columns[name])]))

    def read(self, name: str, begins: NDArray[np.integer], ends: NDArray[np.integer]) -> NDArray[Any]:
        """Return a column of which only these parts may be looked at."""
        column = self._columns[name]
        if name not in self._sums:
            return column
        each = _BLOCK // column.itemsize
        some = ends > begins
        first, behind = begins[some] // each, (ends[some] - 1) // each + 1
        blocks = len(self._sums[name])
        opened = np.bincount(first, minlength=blocks + 1) - np.bincount(behind, minlength=blocks + 1)
        fresh = np.flatnonzero((np.cumsum(opened)[:-1] > 0) & ~self._seen[name])
        for block in fresh.tolist():
            if crc32(column[block * each : (block + 1) * each].data) != self._sums[name][block]:
                self._columns, self._sums = self._made_anew(), {}
                return self._columns[name]
        self._seen[name][fresh] = True
        return column


class _KeptLinks(Links):
    """Links of which only the rows that are asked for are read."""

    def __init__(self, columns: _Checked, name: str) -> None:
        object.__setattr__(self, "_columns", columns)
        object.__setattr__(self, "_name", name)

    _columns: _Checked
    _name: str

    @property
    def starts(self) -> NDArray[np.int64]:  # type: ignore[override]
        """Where each row begins, all of them."""
        return self._columns.whole(f"{self._name}.starts").astype(np.int64, copy=False)

    @property
    def targets(self) -> Ids:  # type: ignore[override]
        """The numbers of all rows."""
        return self._columns.whole(f"{self._name}.targets")

    def row(self, index: int) -> Ids:
        """Return the numbers of one row; none of what came after the file was written."""
        if not 0 <= index < self._columns.length(f"{self._name}.starts") - 1:
            return np.empty(0, np.int32)
        begins, ends = self._bounds(np.array([index]))
        targets: Ids = self._columns.read(f"{self._name}.targets", begins, ends)[int(begins[0]) : int(ends[0])]
        return targets

    def gather(self, rows: NDArray[np.integer]) -> tuple[Ids, NDArray[np.int64]]:
        """Return the numbers of many rows in a run, and for each number which of the `rows` it came from."""
        begins, ends = self._bounds(np.asarray(rows))
        return gathered(self._columns.read(f"{self._name}.targets", begins, ends), begins, ends)

    def _bounds(self, rows: NDArray[np.integer]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        starts = self._columns.read(f"{self._name}.starts", rows, rows + 2)
        return starts[rows].astype(np.int64), starts[rows + 1].astype(np.int64)


def _columns_of(graph: MembershipGraph) -> Columns:
    turned = graph.turned
    links = (graph.nested, graph.people, graph.primary, turned.containing, turned.listing, turned.primary)
    columns: dict[str, NDArray[Any]] = {
        "size": np.array([graph.size], "<i8"),
        "group_ids": graph.group_ids.astype("<i4", copy=False),
        "security": graph.security.astype("u1"),
    }
    for name, one in zip(_LINKS, links, strict=True):
        # Half the bytes, since four thousand million memberships are not reached.
        columns[f"{name}.starts"] = one.starts.astype("<u4" if len(one.targets) < 1 << 32 else "<i8")
        columns[f"{name}.targets"] = np.ascontiguousarray(one.targets.astype("<i4", copy=False))
    return columns


def _graph_of(columns: _Checked) -> MembershipGraph:
    nested, people, primary, containing, listing, primary_of = (_KeptLinks(columns, name) for name in _LINKS)
    return MembershipGraph(
        int(columns.whole("size")[0]),
        columns.whole("group_ids"),
        columns.whole("security").astype(bool),
        nested,
        people,
        primary,
        TurnedLinks(containing, listing, primary_of),
    )


def _blocks(column: NDArray[Any]) -> list[memoryview]:
    each = _BLOCK // column.itemsize
    return [column[at : at + each].data for at in range(0, len(column), each)]
