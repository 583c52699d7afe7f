"""Links from rows to numbers, compressed: the numbers of row r are targets[starts[r]:starts[r + 1]]."""

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from itertools import pairwise
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.values import dataclass

Ids = NDArray[np.int32]
NumberT = TypeVar("NumberT", bound=np.integer)


def distinct(numbers: NDArray[NumberT]) -> NDArray[NumberT]:
    """Return each number once, sorted.

    NumPy's own does this with a table of hashes since 2.3, which took forty times as long on 20,000 ids.
    """
    ordered = np.sort(numbers)
    first = np.ones(len(ordered), bool)
    np.not_equal(ordered[1:], ordered[:-1], out=first[1:])
    return ordered[first]


def among(numbers: NDArray[NumberT], others: NDArray[NumberT]) -> NDArray[np.bool_]:
    """Return which numbers are among others; those sorted and each once."""
    places = np.searchsorted(others, numbers)
    found = places < len(others)
    found[found] = others[places[found]] == numbers[found]
    return found


def less(numbers: NDArray[NumberT], others: NDArray[NumberT]) -> NDArray[NumberT]:
    """Return the numbers that are not among others; both sorted and each number once."""
    return numbers[~among(numbers, others)] if numbers is not others else numbers[:0]


def gathered(targets: Ids, begins: NDArray[np.int64], ends: NDArray[np.int64]) -> tuple[Ids, NDArray[np.int64]]:
    """Return many stretches of numbers in a run, and for each number the place of the stretch that it came from."""
    counts = ends - begins
    origins = np.repeat(np.arange(len(begins), dtype=np.int64), counts)
    behind = np.cumsum(counts)
    places = np.arange(int(behind[-1]) if len(behind) else 0, dtype=np.int64)
    places += np.repeat(begins - (behind - counts), counts)
    return targets[places], origins


def spliced(
    starts: NDArray[np.int64], targets: NDArray[NumberT], runs: Mapping[int, NDArray[NumberT]]
) -> tuple[NDArray[np.int64], NDArray[NumberT]]:
    """Return compressed rows, as `starts` and `targets`, in which the given rows hold other runs of numbers."""
    kept: list[NDArray[NumberT]] = []
    lengths = np.diff(starts)
    done = 0
    for row in sorted(runs):
        kept += [targets[starts[done] : starts[row]], runs[row]]
        lengths[row] = len(runs[row])
        done = row + 1
    kept.append(targets[starts[done] :])
    moved = np.zeros(len(lengths) + 1, np.int64)
    np.cumsum(lengths, out=moved[1:])
    return moved, np.concatenate(kept)


@dataclass(frozen=True)
class Links:
    """Compressed sparse rows without values; each row is sorted and holds a number once."""

    starts: NDArray[np.int64]
    targets: Ids

    @classmethod
    def of_rows(cls, rows: Sequence[Iterable[int]]) -> "Links":
        """Make them from one collection of numbers a row."""
        arrays = [distinct(np.fromiter(row, np.int32)) for row in rows]
        starts = np.zeros(len(arrays) + 1, np.int64)
        np.cumsum([len(array) for array in arrays], out=starts[1:])
        return cls(starts, np.concatenate(arrays) if arrays else np.empty(0, np.int32))

    @classmethod
    def of_pairs(cls, sources: NDArray[np.integer], targets: NDArray[np.integer], rows: int) -> "Links":
        """Make them from parallel arrays of row and number; pairs that come twice count once."""
        keys = distinct(sources.astype(np.int64) << 32 | targets.astype(np.int64))
        starts = np.searchsorted(keys, np.arange(rows + 1, dtype=np.int64) << 32)
        return cls(starts.astype(np.int64), (keys & 0xFFFFFFFF).astype(np.int32))

    @classmethod
    def of_blobs(cls, blobs: Sequence[bytes]) -> "Links":
        """Make them from one run of little-endian int32 a row, each sorted already."""
        starts = np.zeros(len(blobs) + 1, np.int64)
        np.cumsum(np.fromiter(map(len, blobs), np.int64, len(blobs)) // 4, out=starts[1:])
        return cls(starts, np.frombuffer(b"".join(blobs), "<i4").astype(np.int32, copy=False))

    @property
    def rows(self) -> int:
        """How many rows there are."""
        return len(self.starts) - 1

    def row(self, index: int) -> Ids:
        """Return the numbers of one row."""
        return self.targets[self.starts[index] : self.starts[index + 1]]

    def blobs(self) -> list[bytes]:
        """Return each row as little-endian int32."""
        whole = self.targets.astype("<i4", copy=False).tobytes()
        return [whole[start:end] for start, end in pairwise((self.starts * 4).tolist())]

    def gather(self, rows: NDArray[np.integer]) -> tuple[Ids, NDArray[np.int64]]:
        """Return the numbers of many rows in a run, and for each number which of the `rows` it came from."""
        return gathered(self.targets, self.starts[rows], self.starts[np.asarray(rows) + 1])

    def pairs(self) -> tuple[NDArray[np.int64], Ids]:
        """Return parallel arrays of row and number."""
        return np.repeat(np.arange(self.rows, dtype=np.int64), np.diff(self.starts)), self.targets

    def rows_with(self, target: int) -> Ids:
        """Return the rows that hold a number, by looking at all of them."""
        places = np.flatnonzero(self.targets == np.int32(target))
        return (np.searchsorted(self.starts, places, side="right") - 1).astype(np.int32)

    def reversed(self, rows: int) -> "Links":
        """Turn every link round; `rows` is how many numbers there are."""
        sources, targets = self.pairs()
        order = np.argsort(targets, kind="stable")
        starts = np.zeros(rows + 1, np.int64)
        np.cumsum(np.bincount(targets, minlength=rows), out=starts[1:])
        return Links(starts, sources[order].astype(np.int32))

    def with_rows(self, replaced: Mapping[int, Iterable[int]]) -> "Links":
        """Return links in which the given rows hold other numbers."""
        runs = {row: distinct(np.fromiter(numbers, np.int32)) for row, numbers in replaced.items()}
        return Links(*spliced(self.starts, self.targets, runs)) if runs else self


class Backwards:
    """Links looked up from their numbers to their rows.

    Turning millions of links round takes a second, and looking through them for one number a hundredth: so the first
    few look-ups do that, and further look-ups get them turned round.
    """

    _FEW = 24
    _SMALL = 100_000

    def __init__(self, links: Links, numbers: int) -> None:
        """`numbers` is how many numbers there are."""
        self._links = links
        self._numbers = numbers
        self._asked = 0

    @cached_property
    def turned(self) -> Links:
        """All links turned round."""
        return self._links.reversed(self._numbers)

    def row(self, number: int) -> Ids:
        """Return the rows that hold a number."""
        self._asked += 1
        if self._asked > self._FEW or len(self._links.targets) < self._SMALL:
            return self.turned.row(number)
        return self._links.rows_with(number)
