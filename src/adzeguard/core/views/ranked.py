"""Things in the order of a number, the highest first, and of those with the same number by name.

Names are asked for as far as somebody looks: to show the first hundred of a million, the others need none.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import overload

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.links import Ids


class Ranked(Sequence[int]):
    """Ids in that order. `names_of` gives the names of some; folded, they decide between equal numbers."""

    def __init__(
        self, ids: Ids, numbers: NDArray[np.int64], names_of: Callable[[Sequence[int]], Mapping[int, str]]
    ) -> None:
        order = np.argsort(-numbers, kind="stable")
        self._ids = ids[order]
        self._numbers = numbers[order]
        self._names_of = names_of
        self._done = 0

    @overload
    def __getitem__(self, index: int) -> int: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[int]: ...
    def __getitem__(self, index: int | slice) -> int | Sequence[int]:
        last = index.indices(len(self))[1] if isinstance(index, slice) else index % max(1, len(self)) + 1
        self._order_up_to(last)
        return self._ids[index].tolist()  # type: ignore[no-any-return]

    def __len__(self) -> int:
        return len(self._ids)

    def _order_up_to(self, place: int) -> None:
        """Put by name what has the same number, as far as this place and whatever is level with it."""
        if place <= self._done:
            return
        end = int(np.searchsorted(-self._numbers, -self._numbers[place - 1], side="right"))
        some = self._ids[self._done : end].tolist()
        names = {i: name.casefold() for i, name in self._names_of(some).items()}
        numbers = self._numbers[self._done : end].tolist()
        pairs = sorted(zip(numbers, some, strict=True), key=lambda pair: (-pair[0], names.get(pair[1], "")))
        self._ids[self._done : end] = [i for _, i in pairs]
        self._done = end
