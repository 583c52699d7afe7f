"""What is kept beside the journal and cannot be collected again: each write of it is told by a row of the chain.

Who can write to the database, and not to the chain, changes nothing that anybody acts on: a row that is not as the
chain tells it is as good as none, until somebody puts it right.
"""

import json
import os
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import field
from hashlib import sha256
from typing import Any, Final
from weakref import WeakKeyDictionary

from adzeguard import clock
from adzeguard.account_names import account_name
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.question import Question, Waiver
from adzeguard.core.time.shift import Shift
from adzeguard.core.values import dataclass
from adzeguard.store.batches import among, batched
from adzeguard.store.chain import COLUMNS, Head, append_row, hash_of
from adzeguard.store.column_names import columns_of
from adzeguard.store.connection import Connection, Database, one

KEPT: Final[Mapping[str, str]] = {
    "lease": columns_of(Lease),
    "shift": columns_of(Shift),
    "waiver": columns_of(Waiver),
    "question": columns_of(Question),
    "rule_name": "id, sid",
    "retired": "id, body",
    "brought_back": "id, at",
    "review": "id, body",
    "pending": "claim, host, since, tries, detail, format, change",
    "put_in": "claim, rule, format, change",
    "letter": "id, teller, kind, recipient, made_at, body, tries, detail",
}
"""The tables with their columns; by the first one a row is known. A step that alters one adopts it anew."""
_BY_DIGEST: Final = ("put_in", "letter")
"""Of these the chain keeps a digest alone: the first is gathered from the journal again, others are told and gone."""
_BY_OUTCOMES: Final = ("put_in", "pending")
"""What outcomes tell of, too."""
_NOTHING_READ: Final = Head(0, "")
TO_BE_GATHERED: Final = "put-in"
_SHOWN: Final = {
    "rule_name": "what a name in rules stands for",
    "put_in": "what rules have put in",
    "retired": "what is put away",
    "brought_back": "what was brought back",
}

Entry = list[Any] | str | None
"""The values of a row, or the digest of them; None for a row that is taken out."""
Entries = dict[str, dict[str, Entry]]
"""By the table and by what a row is known by."""


@dataclass(frozen=True, slots=True)
class Odd:
    """A row of a table that is not as the chain tells it."""

    table: str
    key: str
    how: str

    @property
    def in_words(self) -> str:
        """What is wrong with it, for people."""
        return f"{_SHOWN.get(self.table, self.table)}: {self.key} {self.how}"


def entries_of(connection: Connection, table: str, keys: Iterable[str]) -> dict[str, Entry]:
    """Return what the chain is to tell of rows as they stand; None for those that do not."""
    found: dict[str, Entry] = dict.fromkeys(map(str, keys))
    for some in batched(list(found)):
        for values in _rows(connection, table, f"WHERE {among(_known_by(table), len(some))}", some):
            found[str(values[0])] = _entry(table, values)
    return found


def note_kept(connection: Connection, table: str, keys: Iterable[str]) -> None:
    """Write the row of the chain that tells how rows of a table stand, in the transaction that wrote them."""
    entries = entries_of(connection, table, keys)
    if entries:
        _tell(connection, {table: entries})


def adopt(connection: Connection, tables: Iterable[str] = tuple(KEPT)) -> None:
    """Write the row that tells everything as it stands: the first one of a store that an older version wrote."""
    standing = {
        table: {str(values[0]): _entry(table, values) for values in _rows(connection, table)} for table in tables
    }
    entries: Entries = {table: of_table for table, of_table in standing.items() if of_table}
    if entries:
        _tell(connection, entries)


def odd_rows(database: Database, tables: Iterable[str] = tuple(KEPT)) -> list[Odd]:
    """Return the rows that are not as the chain tells them: changed, written by nobody of ours, or gone."""
    found: list[Odd] = []
    with database.reading() as connection:
        for table in tables:
            found += _odd(connection, table, _known(database, connection, table, checked=True))
    return found


def few_odd_rows(database: Database) -> list[Odd]:
    """Return those of the tables that are quickly looked through: all but what outcomes tell of."""
    return odd_rows(database, [table for table in KEPT if table not in _BY_OUTCOMES])


def believed(database: Database, connection: Connection, table: str) -> frozenset[str] | None:
    """Return by what the rows of a table are known that stand as the chain tells them; None where all do."""
    if one(connection, f"SELECT 1 FROM {table} LIMIT 1") is None:
        return None
    known = _known(database, connection, table)
    standing = {str(values[0]): _digest(_entry(table, values)) for values in _rows(connection, table)}
    good = frozenset(key for key, digest in standing.items() if _digest(known.get(key)) == digest)
    return None if len(good) == len(standing) else good


def put_right(database: Database) -> list[Odd]:
    """Let the tables say again what the chain tells; return what was otherwise.

    What the chain knows by a digest alone is taken out: what rules have put in is gathered from the journal again.
    """
    wrong = odd_rows(database)
    with database.writing() as connection:
        for one_row in wrong:
            entry = _known(database, connection, one_row.table, checked=True).get(one_row.key)
            connection.run(f"DELETE FROM {one_row.table} WHERE {_known_by(one_row.table)} = ?", (one_row.key,))
            if isinstance(entry, list):
                marks = ", ".join("?" * len(entry))
                connection.run(f"INSERT INTO {one_row.table} ({KEPT[one_row.table]}) VALUES ({marks})", entry)
        if any(one_row.table == "put_in" for one_row in wrong):
            gather_anew(connection)
        if wrong:
            by_table: Entries = {}
            for one_row in wrong:
                now = entries_of(connection, one_row.table, [one_row.key])
                by_table.setdefault(one_row.table, {}).update(now)
            _tell(connection, by_table)
    return wrong


def gather_anew(connection: Connection) -> None:
    """Have what rules have put in gathered from the journal when it is next read: who owned it, only that tells."""
    connection.run(
        "INSERT INTO about (name, value) VALUES (?, 'to be gathered') ON CONFLICT (name) DO NOTHING", (TO_BE_GATHERED,)
    )


def _tell(connection: Connection, entries: Entries) -> None:
    append_row(connection, "kept", "", {"kept": entries}, clock.now(), account_name(os.getuid()))


def _rows(connection: Connection, table: str, where: str = "", values: Iterable[Any] = ()) -> list[tuple[Any, ...]]:
    return connection.rows(f"SELECT {KEPT[table]} FROM {table} {where}", list(values))


def _known_by(table: str) -> str:
    """Return what is compared with the key of a row: numbers are keys as texts, since JSON has no others."""
    return f"CAST({KEPT[table].partition(',')[0]} AS TEXT)"


def _entry(table: str, values: Iterable[Any]) -> Entry:
    return _digest(list(values)) if table in _BY_DIGEST else list(values)


def _digest(entry: Entry) -> str:
    if entry is None or isinstance(entry, str):
        return entry or ""
    return sha256(json.dumps(entry, ensure_ascii=True).encode()).hexdigest()[:32]


def _odd(connection: Connection, table: str, known: Mapping[str, Entry]) -> Iterator[Odd]:
    standing = {str(values[0]): _digest(_entry(table, values)) for values in _rows(connection, table)}
    for key, digest in standing.items():
        told = known.get(key)
        if told is None:
            yield Odd(table, key, "was written by nobody of ours")
        elif _digest(told) != digest:
            yield Odd(table, key, "was changed after it was written")
    for key, told in known.items():
        if told is not None and key not in standing:
            yield Odd(table, key, "was taken out by nobody of ours")


@dataclass
class _Told:
    """What a chain has told, up to which row it was read, and whether the link of each row was checked on the way."""

    upto: Head = _NOTHING_READ
    entries: Entries = field(default_factory=dict)
    is_checked: bool = True


_read: Final[WeakKeyDictionary[Database, dict[bool, _Told]]] = WeakKeyDictionary()
"""For each open database what was read of its chain: of its rows alone, and of outcomes with them."""


def _known(database: Database, connection: Connection, table: str, *, checked: bool = False) -> Mapping[str, Entry]:
    """Return what the chain tells of a table.

    Outcomes tell what rules have put in, and what waits; there are many, and checking each link takes five times as
    long: a round and `journal verify` do, and what only looks compares.
    """
    of_outcomes = table in _BY_OUTCOMES
    told = _read.setdefault(database, {}).setdefault(of_outcomes, _Told())
    there = one(connection, "SELECT hash FROM journal WHERE seq = ?", (told.upto.seq,))
    if told.upto.seq and (there is None or there[0] != told.upto.hash or (checked and not told.is_checked)):
        # What was read was never kept, its transaction was rolled back; or it was not read with such care.
        told = _read[database][of_outcomes] = _Told()
    with_care = checked or not of_outcomes
    kinds = "'kept', 'outcome'" if of_outcomes else "'kept'"
    columns = COLUMNS if with_care else "seq, body, hash"
    query = f"SELECT {columns} FROM journal WHERE seq > ? AND kind IN ({kinds}) AND body LIKE ? ORDER BY seq"
    rows = connection.rows(query, (told.upto.seq, '%"kept"%'))
    for row in rows:
        if with_care:
            *values, previous, digest, written_as = row
            body = values[-1] if hash_of(values, previous, written_as) == digest else "{}"
        else:
            body = row[1]
        for name, entries in json.loads(body).get("kept", {}).items():
            told.entries.setdefault(name, {}).update(entries)
    if rows:
        told.upto = Head(int(rows[-1][0]), str(rows[-1][-2 if with_care else -1]))
        told.is_checked = told.is_checked and with_care
    return told.entries.get(table, {})
