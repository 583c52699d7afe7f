"""The table of shifts."""

import json
from collections.abc import Sequence
from datetime import date, datetime, time
from typing import Any, Final

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.time.shift import Shift
from adzeguard.store.connection import Database

_COLUMNS: Final = (
    'id, member, member_sid, group_name, group_sid, host, rule, first, begins, ends, zone, "by", why, days_off, ended'
)
_MARKS: Final = ", ".join("?" * 15)


class Shifts:
    """All shifts that ever were."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Shift]:
        """Return them by their ids."""
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT {_COLUMNS} FROM shift")
        return sorted(map(_read, rows), key=lambda one: int(one.id[1:]))

    def next_id(self) -> str:
        """Return the id of the next one."""
        return f"S{max((int(one.id[1:]) for one in self.all()), default=0) + 1}"

    def write(self, shift: Shift) -> None:
        """Write one, over what stood of it."""
        values = (
            shift.id,
            shift.member,
            shift.member_sid,
            shift.group,
            shift.group_sid,
            shift.host,
            shift.rule,
            shift.first.isoformat(),
            shift.begins.isoformat(),
            shift.ends.isoformat(),
            shift.zone,
            shift.by,
            shift.why,
            json.dumps([day.isoformat() for day in shift.days_off]),
            shift.ended.isoformat() if shift.ended is not None else "",
        )
        with self._database.writing() as connection:
            connection.run("DELETE FROM shift WHERE id = ?", (shift.id,))
            connection.run(f"INSERT INTO shift ({_COLUMNS}) VALUES ({_MARKS})", values)

    def take_out(self, note_id: str) -> None:
        """Forget one whose making is taken back."""
        with self._database.writing() as connection:
            connection.run("DELETE FROM shift WHERE id = ?", (note_id,))


def _read(row: Sequence[Any]) -> Shift:
    *texts, first, begins, ends, zone, by, why, days_off, ended = row
    shift_id, member, member_sid, group, group_sid, host, rule = map(str, texts)
    try:
        return Shift(
            shift_id,
            member,
            member_sid,
            group,
            group_sid,
            host,
            rule,
            date.fromisoformat(first),
            time.fromisoformat(begins),
            time.fromisoformat(ends),
            str(zone),
            str(by),
            str(why),
            tuple(date.fromisoformat(day) for day in json.loads(days_off)),
            datetime.fromisoformat(ended) if ended else None,
        )
    except (ValueError, TypeError) as error:
        raise StoreDamagedError(f"the shift {row[0]} cannot be read") from error
