"""The tables of questions and waivers."""

from collections.abc import Sequence

from adzeguard.core.time.question import Question, Waiver
from adzeguard.store.connection import Connection
from adzeguard.store.plain_rows import PlainRows, write_rows


class Questions(PlainRows[Question]):
    """All that owners were ever asked."""

    kind = Question
    table = "question"
    letter = "Q"


class Waivers(PlainRows[Waiver]):
    """All that was ever left as it is."""

    kind = Waiver
    table = "waiver"
    letter = "W"


def write_questions(connection: Connection, questions: Sequence[Question]) -> None:
    """Write questions, over what stood of them, in the transaction of what they belong to."""
    write_rows(connection, "question", questions)


def next_number(kept: Sequence[Question] | Sequence[Waiver]) -> int:
    """Return the number of the next one: ids are short, since people type them."""
    return max((int(one.id[1:]) for one in kept), default=0) + 1
