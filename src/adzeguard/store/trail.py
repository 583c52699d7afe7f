"""The events of the trail, each once, and how far each log that is followed has been read."""

from collections.abc import Collection, Iterator, Sequence
from datetime import datetime
from operator import itemgetter
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.trail.event import MEMBERSHIP, NOBODY, Event, Verb, key_of, microseconds_of, moment
from adzeguard.core.values import dataclass
from adzeguard.store.batches import MANY, among, batched
from adzeguard.store.connection import Connection, Database, Row, one

_COLUMNS: Final = '"key", at, verb, by_name, by_sid, what, what_sid, whom, whom_sid, origin, number, claimed, way'
_READ: Final = "at, verb, by_name, by_sid, what, what_sid, whom, whom_sid, origin, number, claimed, way"
_MARKS: Final = ", ".join("?" * 13)
_UNDERSTOOD: Final = ("what", "whom", "whom_sid", "claimed", "way")
"""The columns that an older version of the program may have read differently from the same words."""
_LONGEST_ASIDE: Final = 2000
_FIRST_PAGE: Final = 1_000
_LARGEST_PAGE: Final = 20_000
_FIRST: Final = 1 << 62
"""So that times before 1970 have a place too."""


def _one_of(verbs: Sequence[Verb]) -> str:
    """Return the condition that something was done in one of some ways, as the words of an index have it."""
    return f"verb IN ({', '.join(repr(verb) for verb in verbs)})"


_MEMBERSHIP: Final = _one_of(MEMBERSHIP)
_LOGONS: Final[tuple[Verb, ...]] = ("logon", "refused")
_NAMED_AT_MOST: Final = 100_000
"""Names of a part that are known to be kept; they are forgotten when they are more."""
_MANY: Final = 100_000
"""After so many new events the database counts its tables anew."""

Name = tuple[str, str]
"""What a log says of an object: its name and its SID, either of which may be empty."""
TrailRow = tuple[Any, ...]
"""The columns of an event, its key first."""


@dataclass(frozen=True, slots=True)
class Place:
    """How far a log was read: up to which byte, of which file, known by its device and number."""

    file: str
    place: int


@dataclass(frozen=True, slots=True)
class LogonsAsked:
    """Which kinds of logons are asked for, all where none is given, and of which time."""

    ways: Collection[str]
    since: datetime
    until: datetime


LogonAtHost = tuple[str, str, str, str, int]
"""Of a logon the name and the SID of who, the host at which, the kind, and when, in microseconds since 1970."""


class Trail:
    """The tables of the trail."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._named_already: dict[str, set[Name]] = {part: set() for part in _PARTS}
        self._was_known = False
        self._uncounted = 0

    def add(
        self,
        rows: Sequence[TrailRow],
        aside: Sequence[tuple[str, str]],
        source: str,
        place: Place | None = None,
    ) -> int:
        """Write rows of events, and what could not be read with its reason; return the new ones.

        All of it and the place that was read up to, or nothing: a program that is killed goes on where the last whole
        part ended, and what is read again is known already: it is only understood anew.
        """
        kept = [(key_of(text), source, reason, text[:_LONGEST_ASIDE]) for text, reason in aside]
        with self._database.writing() as connection:
            # A log that is read again is known from end to end: its rows are not even tried then.
            known = _known(connection, rows) if self._was_known else {}
            fresh = [row for row in rows if row[0] not in known]
            new = connection.run_many(f"INSERT INTO trail ({_COLUMNS}) VALUES ({_MARKS}) ON CONFLICT DO NOTHING", fresh)
            if new < len(fresh):
                known = _known(connection, rows)
            self._was_known = new < len(rows)
            otherwise = [row for row in rows if row[0] in known and known[row[0]] != _AS_UNDERSTOOD(row)]
            connection.run_many(_UNDERSTAND_ANEW, [(*_AS_UNDERSTOOD(row), row[0]) for row in otherwise])
            named = self._not_named_yet(rows)
            connection.run_many(
                "INSERT INTO trail_named (part, name, sid) VALUES (?, ?, ?) ON CONFLICT DO NOTHING",
                [(part, *name) for part, names in named.items() for name in sorted(names)],
            )
            connection.run_many(
                'INSERT INTO trail_aside ("key", source, reason, text) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING', kept
            )
            if place is not None:
                connection.run(
                    "INSERT INTO trail_place (source, file, place) VALUES (?, ?, ?)"
                    " ON CONFLICT (source) DO UPDATE SET file = excluded.file, place = excluded.place",
                    (source, place.file, place.place),
                )
        self._uncounted += new
        if self._uncounted > _MANY:
            self._uncounted = 0
            self._database.has_grown("trail", "trail_named")
        for part, names in named.items():
            if len(self._named_already[part]) > _NAMED_AT_MOST:
                self._named_already[part].clear()
            self._named_already[part] |= names
        return new

    def _not_named_yet(self, rows: Sequence[TrailRow]) -> dict[str, set[Name]]:
        """Return by part whom and what changes of memberships name that are not known to be kept already."""
        some = [row for row in rows if row[_VERB] in MEMBERSHIP]
        return {part: set(map(name, some)) - self._named_already[part] for part, name in _PARTS.items()}

    def place(self, source: str) -> Place | None:
        """Return how far a log was read; None for one that never was."""
        with self._database.reading() as connection:
            row = one(connection, "SELECT file, place FROM trail_place WHERE source = ?", (source,))
        return Place(str(row[0]), int(row[1])) if row is not None else None

    def all(self, since: int = -_FIRST, verbs: Sequence[str] = ()) -> list[Event]:
        """Return everything since a moment, oldest first, or only what was done in some ways."""
        some = f" AND {among('verb', len(verbs))}" if verbs else ""
        return self._events(f"at >= ?{some} ORDER BY at", (since, *verbs))

    def groups_changed(self, *, by: str = "", since: datetime | None = None) -> list[Name]:
        """Return each group whose members were changed, as the log names it; by a SID alone, or since a moment."""
        return self._named("what", since, by)

    def members_changed(self, since: datetime | None = None) -> list[Name]:
        """Return everybody who was ever, or since a moment, put into a group or taken out, as the log names them."""
        return self._named("whom", since)

    def groups_of(self, members: Collection[Name], since: datetime | None = None) -> list[tuple[Name, Name]]:
        """Return each group into which one of the members was put or out of which it was taken, and the member."""
        with self._database.reading() as connection:
            rows = _naming(connection, "DISTINCT what, what_sid, whom, whom_sid", "whom", members, since)
            return [((str(a), str(b)), (str(c), str(d))) for a, b, c, d in rows]

    def memberships(self, groups: Collection[Name], since: datetime | None = None) -> list[Event]:
        """Return what was done to the members of some groups, oldest first."""
        with self._database.reading() as connection:
            rows = list(_naming(connection, _READ, "what", groups, since, order=" ORDER BY at"))
        # What was done at one time stays in the order of the log, as the index by time gives it: in, and out again.
        return [_event(row) for row in sorted(rows, key=lambda row: int(row[0]))]

    def since(self, begin: datetime, verbs: Sequence[str]) -> list[Event]:
        """Return what was done in some ways since a moment, oldest first."""
        return self.all(microseconds_of(begin), verbs)

    def logons(self, sids: Collection[str], since: datetime) -> list[Event]:
        """Return the logons and refused tries of some, and all those whose log has no SID, oldest first."""
        wanted = sorted({"", NOBODY, *sids})
        with self._database.reading() as connection:
            after = _between(connection, since)
            rows = [
                row
                for some in batched(wanted, MANY)
                for row in connection.rows(
                    f"SELECT {_READ} FROM trail WHERE {among('whom_sid', len(some))}"
                    f" AND {_one_of(_LOGONS)} AND {after}",
                    some,
                )
            ]
        return [_event(row) for row in sorted(rows, key=lambda row: int(row[0]))]

    def logons_of(self, sids: Collection[str], asked: LogonsAsked) -> list[LogonAtHost]:
        """Return the logons of some at hosts that have proved themselves; those without a SID are of ""."""
        wanted = {*sids, NOBODY} if "" in sids else set(sids)
        return self._at_hosts(asked, "whom_sid", sorted(wanted))

    def logons_at(self, host: str, asked: LogonsAsked) -> list[LogonAtHost]:
        """Return the logons at a host that has proved itself."""
        return self._at_hosts(asked, "upper(what)", [host.upper(), f"{host.upper()}$"])

    def _at_hosts(self, asked: LogonsAsked, by: str, wanted: Sequence[str]) -> list[LogonAtHost]:
        # All of them, and not the last ones: to put half a million together by text takes the database six seconds.
        kinds = sorted(asked.ways)
        with self._database.reading() as connection:
            between = _between(connection, asked.since, asked.until)
            query = f"{_one_of(_LOGONS)} AND verb = 'logon' AND what <> '' AND {between}"
            query += f" AND {among('way', len(kinds))}" if kinds else ""
            return [
                row
                for some in batched(wanted, MANY)
                for row in connection.rows(
                    f"SELECT whom, whom_sid, what, way, at FROM trail WHERE {among(by, len(some))} AND {query}",
                    (*some, *kinds),
                )
            ]

    def count(self, verbs: Sequence[str], since: datetime | None, until: datetime | None) -> int:
        """Return how often something was done in some ways, between two moments where those are given."""
        where = f"{among('verb', len(verbs))}{_from(since)}{_up_to(until)}"
        with self._database.reading() as connection:
            return int(connection.rows(f"SELECT count(*) FROM trail WHERE {where}", verbs)[0][0])

    def pages_back(self, verbs: Sequence[str], since: datetime | None) -> Iterator[list[Event]]:
        """Yield what was done in some ways, newest first, a few at first and then more and more at once."""
        some, before, size = among("verb", len(verbs)), _FIRST, _FIRST_PAGE
        begin = -_FIRST if since is None else microseconds_of(since)
        begins = f"SELECT at FROM trail WHERE {some} AND at >= ? AND at < ? ORDER BY at DESC LIMIT 1 OFFSET ?"
        while before > begin:
            with self._database.reading() as connection:
                found = one(connection, begins, (*verbs, begin, before, size - 1))
            low = int(found[0]) if found is not None else begin
            # All of one time are of one page, in the order of the log, as the index by time gives it.
            yield self._events(f"{some} AND at >= ? AND at < ? ORDER BY at", (*verbs, low, before))[::-1]
            before, size = low, min(size * 2, _LARGEST_PAGE)

    def span(self) -> tuple[datetime | None, datetime | None]:
        """Return the times of the first and of the last event; nothing of an empty trail."""
        with self._database.reading() as connection:
            first, last = _first_and_last(connection)
        return (moment(first), moment(last)) if first is not None else (None, None)

    def has(self, verbs: Sequence[Verb]) -> bool:
        """Tell whether anything was done in one of some ways."""
        with self._database.reading() as connection:
            return bool(connection.rows(f"SELECT 1 FROM trail WHERE {_one_of(verbs)} LIMIT 1"))

    def moments(self) -> list[tuple[str, datetime, datetime, int]]:
        """Return for each verb the first and the last time and how often it is told."""
        query = "SELECT verb, min(at), max(at), count(*) FROM trail GROUP BY verb ORDER BY verb"
        with self._database.reading() as connection:
            rows = connection.rows(query)
        return [(str(verb), moment(first), moment(last), int(count)) for verb, first, last, count in rows]

    def times(self, since: datetime | None = None) -> NDArray[np.int64]:
        """Return when events were, or those since a moment, oldest first, in microseconds since 1970."""
        begin = -_FIRST if since is None else microseconds_of(since)
        with self._database.reading() as connection:
            rows = connection.rows("SELECT at FROM trail WHERE at >= ? ORDER BY at", (begin,))
        return np.fromiter((at for (at,) in rows), np.int64, len(rows))

    def set_aside(self) -> list[tuple[str, str, str]]:
        """Return what could not be read: where it stood, why, and its beginning."""
        query = "SELECT source, reason, text FROM trail_aside ORDER BY source, reason, text"
        with self._database.reading() as connection:
            return [(str(source), str(reason), str(text)) for source, reason, text in connection.rows(query)]

    def _named(self, column: str, since: datetime | None, by: str = "") -> list[Name]:
        """Return whom or what changes of memberships name: of all of them it is kept beside them."""
        query, values = "SELECT name, sid FROM trail_named WHERE part = ?", [column]
        if since is not None or by:
            some, values = (" AND by_sid = ?", [by]) if by else ("", [])
            query = f"SELECT DISTINCT {column}, {column}_sid FROM trail WHERE {_MEMBERSHIP}{some}{_from(since)}"
        with self._database.reading() as connection:
            rows = connection.rows(query, values)
        return [(str(name), str(sid)) for name, sid in rows]

    def _events(self, where: str, values: Sequence[object]) -> list[Event]:
        with self._database.reading() as connection:
            rows = connection.rows(f"SELECT {_READ} FROM trail WHERE {where}", values)
        return [_event(row) for row in rows]


def _key(microseconds: int, text: str) -> bytes:
    """Return by what an event is known: its time before what was logged.

    A log is in the order of its times, and so are its keys: written one behind the other they cost a third of what
    they do all over an index.
    """
    return (microseconds + _FIRST).to_bytes(8, "big") + key_of(text)


_NAMES: Final = tuple(_COLUMNS.replace('"', "").split(", "))
_VERB: Final = _NAMES.index("verb")
_PARTS: Final = {part: itemgetter(_NAMES.index(part), _NAMES.index(f"{part}_sid")) for part in ("what", "whom")}
_AS_UNDERSTOOD: Final = itemgetter(*map(_NAMES.index, _UNDERSTOOD))
_KEY: Final = '"key"'
_UNDERSTAND_ANEW: Final = f"UPDATE trail SET {', '.join(f'{name} = ?' for name in _UNDERSTOOD)} WHERE {_KEY} = ?"


def _known(connection: Connection, rows: Sequence[TrailRow]) -> dict[bytes, Row]:
    """Return by their keys how those of some rows were understood that are kept already."""
    found: dict[bytes, Row] = {}
    for some in batched(rows, MANY):
        query = f"SELECT {_KEY}, {', '.join(_UNDERSTOOD)} FROM trail WHERE {among(_KEY, len(some))}"
        found |= {bytes(key): tuple(told) for key, *told in connection.rows(query, [row[0] for row in some])}
    return found


def trail_row(text: str, event: Event) -> TrailRow:
    """Return the row of an event, by what was logged of it."""
    at = microseconds_of(event.at)
    return (
        _key(at, text),
        at,
        event.verb,
        event.by,
        event.by_sid,
        event.group,
        event.group_sid,
        event.member,
        event.member_sid,
        event.origin,
        event.number,
        event.claimed,
        event.way,
    )


def _event(row: Row) -> Event:
    at, *told = row
    return Event(moment(at), *told)


def _first_and_last(connection: Connection) -> Row:
    # Asked for both at once, SQLite goes through all of them: by the index it finds one, and the other.
    return connection.rows("SELECT (SELECT min(at) FROM trail), (SELECT max(at) FROM trail)")[0]


def _between(connection: Connection, since: datetime, until: datetime | None = None) -> str:
    """Return the condition that something was done since a moment, and up to another.

    Where most of the trail is younger, the time leaves little out, and an index of something else is to be used: row by
    row through that of time half a million took 1.6 s. SQLite uses no index of a column with a plus before it.
    """
    begin = microseconds_of(since)
    first, last = _first_and_last(connection)
    through = first is not None and begin < (first + last) // 2
    at = "+at" if through else "at"
    return f"{at} >= {begin}" if until is None else f"{at} >= {begin} AND {at} <= {microseconds_of(until)}"


def _up_to(until: datetime | None) -> str:
    return "" if until is None else f" AND at <= {microseconds_of(until)}"


def _from(since: datetime | None) -> str:
    return "" if since is None else f" AND at >= {microseconds_of(since)}"


def _naming(
    connection: Connection, columns: str, column: str, names: Collection[Name], since: datetime | None, order: str = ""
) -> Iterator[Row]:
    """Yield rows about memberships whose column names one of these: by SID, or by name where no SID was logged."""
    sids = {sid for _, sid in names if sid}
    bare = {name for name, sid in names if not sid}
    for named_by, wanted, only in ((f"{column}_sid", sids, ""), (column, bare, f" AND {column}_sid = ''")):
        for some in batched(sorted(wanted)):
            condition = f"{_MEMBERSHIP}{_from(since)}{only} AND {among(named_by, len(some))}"
            yield from connection.rows(f"SELECT {columns} FROM trail WHERE {condition}{order}", some)
