"""Rows of the store: how they are packed, ended and written."""

from collections.abc import Iterable
from hashlib import blake2b
from typing import Any, Final

from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.rows import ObjectRow
from adzeguard.core.identity import fold_dn
from adzeguard.store.catalogue import text_hash
from adzeguard.store.host_states import pack_state

INSERT_OBJECT: Final = (
    "INSERT INTO object (id, since, until, key, kind, flags, authority, rid, primary_rid, name, name_hash, dn, dn_hash,"
    " created, last_logon, password_set, expires, descriptor, details)"
    " VALUES (?, ?, NULL, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
)
READ_OBJECTS: Final = (
    "SELECT id, key, kind, flags, authority, rid, primary_rid, name, name_hash, dn, dn_hash,"
    " created, last_logon, password_set, expires, descriptor, details FROM object WHERE until IS NULL"
)
INSERT_MEMBERSHIP: Final = (
    "INSERT INTO membership (group_id, since, until, security, nested, people, primaries)"
    " VALUES (?, ?, NULL, ?, ?, ?, ?)"
)
READ_MEMBERSHIPS: Final = "SELECT group_id, security, nested, people, primaries FROM membership WHERE until IS NULL"
INSERT_HOST: Final = "INSERT INTO host (id, since, until, trouble, state) VALUES (?, ?, NULL, ?, ?)"


Membership = tuple[int, bytes, bytes, bytes]
"""A row of memberships: security, nested groups, others listed, and those whose primary group it is."""


class RowPacker:
    """Turns rows into what the table holds, gathering authorities and descriptors that it does not know yet."""

    def __init__(self, cursor: Any) -> None:
        self._cursor = cursor
        self._authorities = {text: i for i, text in cursor.execute("SELECT id, text FROM authority")}
        self._known_authorities = len(self._authorities)
        self._descriptors: dict[bytes, bytes] = {}

    def pack(self, row: ObjectRow) -> tuple[Any, ...]:
        """Return a row in the order of the table's columns, from the key on."""
        authority, rid = None, None
        if row.sid:
            text, _, number = row.sid.rpartition("-")
            authority, rid = self._authorities.setdefault(text, len(self._authorities) + 1), int(number)
        key = None
        if row.descriptor:
            key = self._descriptors.get(row.descriptor)
            if key is None:
                key = self._descriptors[row.descriptor] = blake2b(row.descriptor, digest_size=16).digest()
        return (
            row.key, row.kind, row.flags, authority, rid, row.primary_group_rid, row.name,
            text_hash(row.name.casefold()),
            row.dn, text_hash(fold_dn(row.dn)), row.created, row.last_logon, row.password_set, row.expires, key,
            row.details,
        )  # fmt: skip

    def write_new(self) -> None:
        """Write the authorities and descriptors that were met for the first time."""
        new = [(i, text) for text, i in self._authorities.items() if i > self._known_authorities]
        self._cursor.executemany("INSERT INTO authority (id, text) VALUES (?, ?)", new)
        known = [(key, data) for data, key in self._descriptors.items()]
        self._cursor.executemany("INSERT OR IGNORE INTO descriptor (key, data) VALUES (?, ?)", known)


def end_rows(cursor: Any, table: str, key: str, number: int, ended: Iterable[int]) -> None:
    """Say of rows that hold now that they hold until before this collection."""
    query = f"UPDATE {table} SET until = ? WHERE {key} = ? AND until IS NULL"  # noqa: S608 - our own names
    cursor.executemany(query, [(number, i) for i in ended])


def write_hosts(cursor: Any, number: int, hosts: Iterable[Host], *, whole: bool) -> int:
    """Write the hosts that differ from what holds now; return how many."""
    standing = {i: row for i, *row in cursor.execute("SELECT id, trouble, state FROM host WHERE until IS NULL")}
    changed: list[tuple[int, int, str, str]] = []
    seen: set[int] = set()
    for host in hosts:
        seen.add(host.id)
        packed = [host.trouble, pack_state(host.state) if host.state else ""]
        if standing.get(host.id) != packed:
            changed.append((host.id, number, packed[0], packed[1]))
    gone = [i for i in standing if i not in seen] if whole else []
    end_rows(cursor, "host", "id", number, [*(row[0] for row in changed), *gone])
    cursor.executemany(INSERT_HOST, changed)
    return len(changed) + len(gone)
