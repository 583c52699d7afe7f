"""A sequence that is fetched when somebody first looks at it."""

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import TypeVar, overload

T = TypeVar("T")


class LazySequence(Sequence[T]):
    """Behaves as what `fetch` returns, which is called once at most."""

    def __init__(self, fetch: Callable[[], Sequence[T]]) -> None:
        self._fetch = fetch

    @cached_property
    def _items(self) -> Sequence[T]:
        return self._fetch()

    @property
    def is_fetched(self) -> bool:
        """Whether somebody has looked at it."""
        return "_items" in self.__dict__

    @overload
    def __getitem__(self, index: int) -> T: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[T]: ...
    def __getitem__(self, index: int | slice) -> T | Sequence[T]:
        return self._items[index]

    def __len__(self) -> int:
        return len(self._items)

    def __iter__(self) -> Iterator[T]:
        return iter(self._items)
