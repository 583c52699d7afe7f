"""Many values in one statement, as many at a time as every database takes."""

from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Final, TypeVar

T = TypeVar("T")
_AT_ONCE: Final = 500
MANY: Final = 10_000
"""As many as both databases take where each part is dear: few parts are better then."""


def batched(items: Iterable[T], at_once: int = _AT_ONCE) -> Iterator[tuple[T, ...]]:
    """Yield the items in parts that one statement takes."""
    remaining = iter(items)
    while some := tuple(islice(remaining, at_once)):
        yield some


def among(column: str, count: int) -> str:
    """Return the condition that a column has one of so many values."""
    return f"{column} IN ({','.join('?' * count)})"
