"""The table of memberships that objects carry, and groups do not list."""

from collections.abc import Iterable

from adzeguard.core.estate.named import Named
from adzeguard.core.values import dataclass
from adzeguard.store.connection import Database

_COLUMNS = "group_name, group_sid, group_dn, member_name, member_sid, member_dn"


@dataclass(frozen=True, slots=True)
class BackLink:
    """One of them."""

    group: Named
    member: Named


class BackLinks:
    """What the last collection found."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[BackLink]:
        """Return them."""
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT {_COLUMNS} FROM back_link ORDER BY {_COLUMNS}")
        return [BackLink(_named(*row[:3]), _named(*row[3:])) for row in rows]

    def write(self, found: Iterable[BackLink]) -> None:
        """Keep these, and none that were found before."""
        rows = [(*_columns(one.group), *_columns(one.member)) for one in found]
        with self._database.writing() as connection:
            connection.run("DELETE FROM back_link")
            connection.run_many(f"INSERT INTO back_link ({_COLUMNS}) VALUES (?, ?, ?, ?, ?, ?)", rows)


def _named(name: object, sid: object, dn: object) -> Named:
    return Named(str(name), str(sid), str(dn))


def _columns(one: Named) -> tuple[str, str, str]:
    return one.name, str(one.sid), one.dn
