"""A column of strings in two arrays instead of a million objects."""

from collections.abc import Callable, Iterable, Iterator
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray


class Texts:
    """Strings kept as one run of UTF-8 bytes and the place where each begins."""

    __slots__ = ("_bytes", "_starts")

    def __init__(self, data: bytes, starts: NDArray[np.int64]) -> None:
        """`starts` has one more item than there are strings: the last is the length of `data`."""
        self._bytes = data
        self._starts = starts

    @classmethod
    def of(cls, strings: Iterable[str]) -> "Texts":
        """Pack the strings in their order."""
        encoded = [text.encode("utf-8", "surrogateescape") for text in strings]
        starts = np.zeros(len(encoded) + 1, np.int64)
        np.cumsum(np.fromiter(map(len, encoded), np.int64, len(encoded)), out=starts[1:])
        return cls(b"".join(encoded), starts)

    def __len__(self) -> int:
        return len(self._starts) - 1

    def __getitem__(self, row: int) -> str:
        return self._bytes[self._starts[row] : self._starts[row + 1]].decode("utf-8", "surrogateescape")

    def __iter__(self) -> Iterator[str]:
        starts = self._starts.tolist()
        for start, end in pairwise(starts):
            yield self._bytes[start:end].decode("utf-8", "surrogateescape")

    def feed(self, update: Callable[[Any], None]) -> None:
        """Give everything to a digest, lengths included."""
        update(self._starts.data)
        update(self._bytes)

    @property
    def nbytes(self) -> int:
        """Memory held, in bytes."""
        return len(self._bytes) + self._starts.nbytes
