"""The rows of hosts: the state last read of each, in named fields, and why it could not be read."""

import json
from bisect import bisect_left
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache, cached_property
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar, overload

from adzeguard.core.errors import InputError
from adzeguard.core.estate.alike_states import AlikeStates
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.wellknown import DIRECTORY_SERVER_GROUPS
from adzeguard.store.batches import among, batched
from adzeguard.store.collections import ENACTMENT
from adzeguard.store.columns import text_hash
from adzeguard.store.connection import Connection, Database, is_text, one, pattern_of
from adzeguard.store.objects import end_rows
from adzeguard.store.seen_on import write_seen_on

if TYPE_CHECKING:
    from adzeguard.core.estate.administrators import Administrators
    from adzeguard.core.estate.capability import Capability
    from adzeguard.core.estate.catalogue import Catalogue
    from adzeguard.core.estate.seen_on import SeenOn
    from adzeguard.store.kept_hosts import KeptHosts

T = TypeVar("T")


class LazySequence(Sequence[T]):
    """Behaves as what `fetch` returns, which is called once at most."""

    def __init__(self, fetch: Callable[[], Sequence[T]]) -> None:
        self._fetch = fetch

    @cached_property
    def _items(self) -> Sequence[T]:
        return self._fetch()

    @property
    def is_fetched(self) -> bool:
        """Whether somebody has looked at it."""
        return "_items" in self.__dict__

    @overload
    def __getitem__(self, index: int) -> T: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[T]: ...
    def __getitem__(self, index: int | slice) -> T | Sequence[T]:
        return self._items[index]

    def __len__(self) -> int:
        return len(self._items)

    def __iter__(self) -> Iterator[T]:
        return iter(self._items)


def state_text(state: HostState, capabilities: "Sequence[Capability] | None" = None) -> str:
    """Return a state as compact JSON, in one order, so that equal states are equal text."""
    from adzeguard.core.estate.capabilities import CAPABILITIES, pack_state

    return json.dumps(pack_state(state, tuple(capabilities or CAPABILITIES)), separators=(",", ":"))


def state_of_text(text: str, capabilities: "Sequence[Capability] | None" = None) -> HostState | None:
    """Return the state that a text holds; None if it cannot be read, which the next collection heals."""
    # What a host can say is a third of all imports of a look, and most looks are not about hosts.
    from adzeguard.core.estate.capabilities import CAPABILITIES, unpack_state
    from adzeguard.core.json_text import values_of_json

    try:
        return unpack_state(values_of_json(text), tuple(capabilities or CAPABILITIES)) if text else None
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError, InputError):
        return None


def write_hosts(connection: Connection, number: int, hosts: Iterable[Host], *, whole: bool) -> int:
    """Write the hosts that differ from what holds now; return how many."""
    rows = connection.rows("SELECT id, trouble, state, source FROM host WHERE until IS NULL")
    before = {i: tuple(rest) for i, *rest in rows}
    changed: list[tuple[int, int, str, str, str]] = []
    seen: set[int] = set()
    names: set[str] = set()
    saw: list[tuple[int, Sequence[SeenOn]]] = []
    for host in hosts:
        seen.add(host.id)
        if host.state is not None and host.state.seen_on is not None:
            saw.append((host.id, host.state.seen_on))
        packed = (host.trouble, state_text(host.state) if host.state else "", host.source)
        if before.get(host.id) != packed:
            changed.append((host.id, number, *packed))
            names |= {group.name.casefold() for group in host.state.groups} if host.state else set()
    gone = before.keys() - seen if whole else set()
    end_rows(connection, "host", "id", number, [*(row[0] for row in changed), *gone])
    note_group_names(connection, names)
    connection.run_many("INSERT INTO host (id, since, trouble, state, source) VALUES (?, ?, ?, ?, ?)", changed)
    write_seen_on(connection, number, saw)
    return len(changed) + len(gone)


def note_group_names(connection: Connection, folded: Iterable[str]) -> None:
    """Note the folded names of local groups, of any host and at any time."""
    query = "INSERT INTO local_group_name (name) VALUES (?) ON CONFLICT (name) DO NOTHING"
    connection.run_many(query, [(name,) for name in sorted(folded) if is_text(name)])


class StoredHosts(LazySequence[Host]):
    """All hosts, read when somebody first looks at one; a few of them can be had without the rest."""

    def __init__(self, database: Database, valid: str, kept: "KeptHosts | None" = None) -> None:
        """`kept` is the copy of what holds now, where that is asked for."""
        super().__init__(self._all)
        self._kept = kept
        self._database = database
        self._valid = valid
        self._named: dict[str, Host | None] = {}

    def _all(self) -> list[Host]:
        if self._kept is not None:
            return self._kept.hosts()
        with self._database.reading() as connection:
            return read_hosts(connection, self._valid)

    def administrators(self, catalogue: "Catalogue") -> "Administrators | None":
        """Return who administers them, as ids of a catalogue."""
        return self._kept.administrators(catalogue) if self._kept is not None else None

    def naming(self, sids: Iterable[str]) -> frozenset[int] | None:
        """Return the ids of the hosts whose groups list one of some who are none of their own; None: not known."""
        return self._kept.naming(sids) if self._kept is not None else None

    def with_local_group(self, name: str) -> list[Host]:
        """Return the hosts that have a local group of this name."""
        wanted = name.casefold()
        if not self.is_fetched and not self._any_has(wanted):
            return []
        if self.is_fetched or not name.isascii():  # the store folds the case of ASCII only
            hosts: Sequence[Host] = self
        else:
            text = f'"name":{json.dumps(name)}'
            with self._database.reading() as connection:
                hosts = read_hosts(
                    connection, self._valid, f"h.state {connection.dialect.like} ? ESCAPE '!'", pattern_of(text)
                )
        return [h for h in hosts if h.state and any(g.name.casefold() == wanted for g in h.state.groups)]

    def _any_has(self, wanted: str) -> bool:
        """Whether any host has, or ever had, a local group of this folded name: to most names that is all to say."""
        if not is_text(wanted):
            return True  # it is noted of none, so that all are looked at
        with self._database.reading() as connection:
            return one(connection, "SELECT 1 FROM local_group_name WHERE name = ?", (wanted,)) is not None

    def named(self, name: str) -> Host | None:
        """Return the host of this name, ignoring case; each name is asked for once."""
        folded = name.casefold()
        if folded not in self._named:
            with self._database.reading() as connection:
                found = read_hosts(connection, self._valid, "o.name_hash = ?", text_hash(folded))
            called_so = [host for host in found if host.name.casefold() == folded]
            # Of two domains' hosts of one name the one that is looked after.
            self._named[folded] = max(called_so, key=lambda host: bool(host.source), default=None)
        return self._named[folded]


class HostRow(NamedTuple):
    """A host as the store has it; `state` is the text of what it said last, empty where it said nothing."""

    id: int
    name: str
    dn: str
    details: str
    is_of_directory: bool
    sid: str
    trouble: str
    state: str
    source: str


def read_hosts(connection: Connection, valid: str, condition: str = "", *values: Any) -> list[Host]:
    """Return all hosts that hold, by name, or of them those for which a condition on the host or its object is true."""
    states = AlikeStates(state_of_text)
    return [
        Host(
            row.id,
            row.name,
            row.dn,
            states.read(row.state),
            row.trouble,
            row.sid,
            row.source,
            row.details,
            row.is_of_directory,
        )
        for row in host_rows(connection, valid, condition, *values)
    ]


def host_rows(connection: Connection, valid: str, condition: str = "", *values: Any) -> Iterator[HostRow]:
    """Yield the same as rows."""
    more = f" AND {condition}" if condition else ""
    hosts, objects = f"(SELECT * FROM host WHERE {valid}) h", f"(SELECT * FROM object WHERE {valid}) o"
    # Said in this order, since SQLite keeps to it: by itself it went over a million objects to find 20,000 hosts.
    first, second = (objects, hosts) if condition.startswith("o.") else (hosts, objects)
    query = (
        "SELECT o.id, o.name, o.dn, o.details, o.primary_rid, a.text, o.rid, h.trouble, h.state, h.source"
        f" FROM {first} CROSS JOIN {second}"
        f" LEFT JOIN authority a ON a.id = o.authority WHERE o.id = h.id{more} ORDER BY o.name"
    )
    for i, name, dn, details, primary, authority, rid, trouble, state, source in connection.rows(query, values):
        sid = f"{authority}-{rid}" if authority else ""
        yield HostRow(i, name, dn, details, primary in DIRECTORY_SERVER_GROUPS, sid, trouble, state, source)


def hosts_of(connection: Connection, valid: str, ids: Sequence[int]) -> dict[int, Host]:
    """Return some of the hosts that hold, by their ids."""
    found = (read_hosts(connection, valid, among("h.id", len(some)), *some) for some in batched(ids))
    return {host.id: host for hosts in found for host in hosts}


def read_at(connection: Connection) -> dict[int, float]:
    """Return by the ids of the hosts that are looked after when each answered last, in seconds since 1970.

    A collection reads every host, an enactment those that it changes; a host that answered as before has no new row.
    """
    whole = connection.rows("SELECT id, finished FROM collection WHERE kind <> ? ORDER BY id", (ENACTMENT,))
    numbers = [number for number, _ in whole]
    finished: dict[int, float] = dict(connection.rows("SELECT id, finished FROM collection"))

    @cache
    def answered(since: int, until: int | None) -> float:
        before = bisect_left(numbers, until) if until is not None else len(numbers)
        return finished[max([since, *numbers[max(before - 1, 0) : before]])]

    query = "SELECT id, since, until FROM host WHERE trouble = '' AND state <> '' ORDER BY since"
    # Most hosts answered at the same few collections.
    moments = {host: answered(since, until) for host, since, until in connection.rows(query)}
    looked_after = {host for (host,) in connection.rows("SELECT id FROM host WHERE until IS NULL AND source <> ''")}
    return {host: moment for host, moment in moments.items() if host in looked_after}
