"""Rows with typed columns."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Final, Literal, overload

from adzeguard.core.values import dataclass

Row = Mapping[str, Any]
Kind = Literal["text", "word", "number", "moment", "noted"]
"""`word` is one of a few, such as a status, that may be coloured; `noted` is a `Noted`; a moment is a `datetime`."""

_ROWS_AT_ONCE: Final = 10_000


@dataclass(frozen=True, slots=True)
class Noted:
    """A text, and below it where it comes from."""

    text: str
    note: str


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its key in the rows, and its heading where people see it.

    Without a title it is for programs alone; with `for_people` it is for people alone. `wide` takes what room is left,
    `fixed` is never broken.
    """

    key: str
    title: str = ""
    kind: Kind = "text"
    for_people: bool = False
    wide: bool = False
    fixed: bool = False


class LateRows(Sequence[Row]):
    """Rows that are made when they are looked at: of a million few are shown."""

    def __init__(self, of: Sequence[Any], make: Callable[[Sequence[Any]], Sequence[Row]]) -> None:
        """`make` gives the rows of some items of `of`, one each, in their order."""
        self._of = of
        self._make = make

    @overload
    def __getitem__(self, index: int) -> Row: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Row]: ...
    def __getitem__(self, index: int | slice) -> Row | Sequence[Row]:
        return self._make(self._of[index]) if isinstance(index, slice) else self._make([self._of[index]])[0]

    def __len__(self) -> int:
        return len(self._of)

    def __iter__(self) -> Iterator[Row]:
        for begin in range(0, len(self._of), _ROWS_AT_ONCE):
            yield from self._make(self._of[begin : begin + _ROWS_AT_ONCE])


@dataclass(frozen=True, slots=True)
class Table:
    """Rows, and the columns that are shown of them in their order.

    A column that is empty in all rows is not shown to people. `note` is said below the table to people alone, `empty`
    instead of a table without rows. `next_steps` gives the commands that go on from the rows that are shown.
    """

    rows: Sequence[Row]
    columns: Sequence[Column]
    title: str = ""
    note: str = ""
    empty: str = "Nothing."
    next_steps: Callable[[Sequence[Row]], Sequence[str]] | None = None

    @property
    def keys(self) -> list[str]:
        """The documented keys, in the order of the columns."""
        return [column.key for column in self.columns if not column.for_people]

    def for_programs(self) -> Iterator[dict[str, Any]]:
        """Yield the rows with the documented keys; what is absent is None, and a way is a list.

        What a map holds stays as it was written, such as a row of the journal.
        """
        keys = self.keys
        for row in self.rows:
            yield {key: _for_programs(row.get(key)) for key in keys}


def _for_programs(value: Any) -> Any:
    if value == "":
        return None
    return list(value) if isinstance(value, tuple) else value


def data_columns(*keys: str) -> tuple[Column, ...]:
    """Return columns for programs alone."""
    return tuple(Column(key) for key in keys)
