"""What the store asks of a database: plain statements with `?` for values, inside transactions, from many threads."""

from collections.abc import Iterable, Sequence
from contextlib import AbstractContextManager
from typing import Any, Protocol

from adzeguard.core.values import dataclass

Row = tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Dialect:
    """Where two databases say the same thing in other words."""

    integer: str
    real: str
    blob: str
    like: str
    """The comparison by pattern that leaves the case of ASCII letters out of account."""
    joined: str
    """The numbers of a group of rows as one text, with commas between; {} stands for the column."""
    holds: str
    """The condition that a column, {0}, holds a text, {1}; it can stand in the words of an index."""
    folded: str
    """A column by which texts are compared and sorted letter for letter, the case of ASCII left out of account."""
    octets: str
    """How many bytes a text has in UTF-8; {} stands for the column."""


class Connection(Protocol):
    """A transaction that is open. Values stand for `?` in a statement."""

    @property
    def dialect(self) -> Dialect:
        """Which words this database wants."""

    def rows(self, query: str, values: Sequence[Any] = ()) -> list[Row]:
        """Return all rows of a query."""

    def run(self, statement: str, values: Sequence[Any] = ()) -> None:
        """Run one statement."""

    def run_many(self, statement: str, rows: Iterable[Row]) -> int:
        """Run a statement once for each row of values; return how many rows of the table it changed."""


class Database(Protocol):
    """The tables of one workspace. Raises errors under `StoreError`, and no other."""

    @property
    def writable(self) -> bool:
        """Whether anything can be kept in it: what only looks goes on where nothing can."""

    @property
    def role(self) -> str:
        """In whose name the database writes; empty where it knows no roles."""

    def reading(self) -> AbstractContextManager[Connection]:
        """Open a connection that sees one moment of the store; inside another one it is that one."""

    def writing(self, patience: float | None = None) -> AbstractContextManager[Connection]:
        """Open a connection whose work is kept whole at the end, or not at all; nobody else writes meanwhile.

        `StoreBusyError` where somebody else goes on writing for so many seconds, or for as long as is usual.
        """

    def held(self, task: str) -> AbstractContextManager[None]:
        """Hold the workspace while a task changes something; `StoreBusyError` names who holds it already."""

    def has_grown(self, *tables: str) -> None:
        """Count anew how much some tables hold, after a write that added much: queries can be planned by that."""

    def close(self) -> None:
        """Let go of it."""


def one(connection: Connection, query: str, values: Sequence[Any] = ()) -> Row | None:
    """Return the first row of a query, or nothing."""
    answers = connection.rows(query, values)
    return answers[0] if answers else None


def is_text(name: str) -> bool:
    """Tell whether a database takes a text: JSON can hold half a letter, and what is typed can be no UTF-8."""
    try:
        name.encode()
    except UnicodeEncodeError:
        return False
    return True


def pattern_of(part: str) -> str:
    """Return the pattern, with `!` as its escape, of texts in which this one stands."""
    escaped = part.replace("!", "!!").replace("%", "!%").replace("_", "!_")
    return f"%{escaped}%"
