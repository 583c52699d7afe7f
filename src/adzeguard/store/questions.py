"""The tables of questions and waivers."""

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, Final, TypeVar, cast

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.time.question import Question, State, Waiver
from adzeguard.store.connection import Connection, Database

_QUESTION: Final = (
    "id, fingerprint, rule, owner, subject, subject_sid, member, member_sid, host, message, says, asked_at, changed_at,"
    " changed_by, changed_from, again, state, answered_by, answered_at, why"
)
_WAIVER: Final = 'id, fingerprint, rule, subject, member, "by", why, begun, until_, renewed, ended'
Kept = TypeVar("Kept", Question, Waiver)


class Questions:
    """All that owners were ever asked."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Question]:
        """Return them in the order in which they were asked."""
        return _all(self._database, f"SELECT {_QUESTION} FROM question", _question)

    def write(self, question: Question) -> None:
        """Write one, over what stood of it."""
        with self._database.writing() as connection:
            write_question(connection, question)


class Waivers:
    """All that was ever left as it is."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Waiver]:
        """Return them in the order in which they were made."""
        return _all(self._database, f"SELECT {_WAIVER} FROM waiver", _waiver)

    def write(self, waiver: Waiver, question: Question | None = None) -> None:
        """Write one, over what stood of it; with the question that it answers, both or neither."""
        with self._database.writing() as connection:
            values = (
                waiver.id,
                waiver.fingerprint,
                waiver.rule,
                waiver.subject,
                waiver.member,
                waiver.by,
                waiver.why,
                waiver.begun.isoformat(),
                waiver.until.isoformat(),
                waiver.renewed,
                _written(waiver.ended),
            )
            _replace(connection, "waiver", _WAIVER, values)
            if question is not None:
                write_question(connection, question)

    def take_out(self, note_id: str) -> None:
        """Forget one whose making is taken back."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM waiver WHERE id = ?", (note_id,))


def write_question(connection: Connection, question: Question) -> None:
    """Write a question, over what stood of it."""
    values = (
        question.id,
        question.fingerprint,
        question.rule,
        question.owner,
        question.subject,
        question.subject_sid,
        question.member,
        question.member_sid,
        question.host,
        question.message,
        question.says,
        question.asked_at.isoformat(),
        question.changed_at,
        question.changed_by,
        question.changed_from,
        question.again,
        question.state,
        question.answered_by,
        _written(question.answered_at),
        question.why,
    )
    _replace(connection, "question", _QUESTION, values)


def next_number(kept: Sequence[Kept]) -> int:
    """Return the number of the next one: ids are short, since people type them."""
    return max((int(one.id[1:]) for one in kept), default=0) + 1


def _replace(connection: Connection, table: str, columns: str, values: tuple[Any, ...]) -> None:
    connection.run(f"DELETE FROM {table} WHERE id = ?", values[:1])
    connection.run(f"INSERT INTO {table} ({columns}) VALUES ({', '.join('?' * len(values))})", values)


def _written(moment: datetime | None) -> str:
    return moment.isoformat() if moment is not None else ""


def _moment(text: str) -> datetime | None:
    return datetime.fromisoformat(text) if text else None


def _all(database: Database, query: str, read: Callable[[Sequence[Any]], Kept]) -> list[Kept]:
    with database.reading() as connection:
        rows = connection.rows(query)
    found = []
    for row in rows:
        try:
            found.append(read(row))
        except (ValueError, TypeError) as error:
            raise StoreDamagedError(f"the row {row[0]} of questions and waivers cannot be read") from error
    return sorted(found, key=lambda one: int(one.id[1:]))


def _question(row: Sequence[Any]) -> Question:
    name, fingerprint, rule, owner, subject, subject_sid, member, member_sid, host, message, says, asked_at, *more = row
    changed_at, changed_by, changed_from, again, state, answered_by, answered_at, why = more
    return Question(
        name,
        fingerprint,
        rule,
        owner,
        subject,
        subject_sid,
        member,
        member_sid,
        host,
        message,
        says,
        datetime.fromisoformat(asked_at),
        changed_at,
        changed_by,
        changed_from,
        int(again),
        cast("State", state),
        answered_by,
        _moment(answered_at),
        why,
    )


def _waiver(row: Sequence[Any]) -> Waiver:
    name, fingerprint, rule, subject, member, by, why, begun, until, renewed, ended = row
    return Waiver(
        name,
        fingerprint,
        rule,
        subject,
        member,
        by,
        why,
        datetime.fromisoformat(begun),
        datetime.fromisoformat(until),
        int(renewed),
        _moment(ended),
    )
