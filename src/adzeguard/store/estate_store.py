"""Keeps the estate: what was collected, since when it holds, and what holds now."""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from adzeguard.core.descriptors.outsiders import key_of_outsider, outsiders
from adzeguard.core.errors import NothingCollectedError, UnknownNameError
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.principal import CONTAINERS, Kind
from adzeguard.core.estate.rows import Observed
from adzeguard.core.identity import fold_dn, sid_of_dn
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import DIRECTORY_SERVER_GROUPS
from adzeguard.core.wording import when
from adzeguard.store.batches import among, batched
from adzeguard.store.catalogue import KeptCatalogue, StoredCatalogue
from adzeguard.store.collections import ENACTMENT, CollectionFacts, StoredCollection, begin, last_where, valid_at
from adzeguard.store.columns import text_hash
from adzeguard.store.connection import Connection, Database, one
from adzeguard.store.host_rows import StoredHosts, hosts_of, read_at, read_hosts, write_hosts
from adzeguard.store.kept_columns import Checked
from adzeguard.store.kept_graph import graph_of
from adzeguard.store.kept_hosts import KeptHosts
from adzeguard.store.memberships import read_graph, write_memberships
from adzeguard.store.objects import sids_of_ids, write_seen_deleted, write_whole
from adzeguard.store.partial import PartialWrite
from adzeguard.store.present import Present, changed_between, size_of

_MANY: Final = 1000
_MUCH: Final = 20
"""After so many changes, and one in so many of what there is, the database counts its tables anew."""


@dataclass(frozen=True, slots=True)
class Written:
    """How many rows a collection changed in the store."""

    collection: int
    objects: int = 0
    groups: int = 0
    hosts: int = 0
    gone: Sequence[str] = ()
    """The names of objects that everything was read without this time."""


class EstateStore:
    """Reads and writes collections. Each is written whole, or not at all."""

    def __init__(self, database: Database, kept: Path | None = None) -> None:
        """`kept` is the file for a copy of what holds now; without it every look reads the store alone."""
        self.database = database
        keeps = kept is not None and database.writable
        self._present = Present(database, kept) if kept is not None and keeps else None
        self._kept_hosts = (
            KeptHosts(database, kept.with_name(f"{kept.name}-hosts")) if kept is not None and keeps else None
        )

    def ids_for(self, keys: Sequence[bytes]) -> list[int]:
        """Return a number for each object by its key: the one it always had, or a new one."""
        with self.database.reading() as connection:
            known = _known_ids(connection, keys)
            following = size_of(connection)
        ids = []
        for key in keys:
            if key not in known:
                known[key] = following
                following += 1
            ids.append(known[key])
        return ids

    def write(
        self, facts: CollectionFacts, assembled: Assembled, hosts: Iterable[Host], *, compared: bool = False
    ) -> Written:
        """Store a whole collection: only what differs from what holds now becomes rows.

        `compared` says that every row is to be compared, as one may be damaged, and not only what all come to.
        """
        digest = (assembled.objects.digest() + assembled.graph.digest()).hex()
        with self.database.writing() as connection:
            before = one(connection, "SELECT value FROM about WHERE name = 'digest'")
            number = begin(connection, facts)
            objects = groups = 0
            gone: list[str] = []
            if compared or before is None or digest != before[0]:
                objects, gone = write_whole(connection, number, assembled.objects)
                groups = write_memberships(connection, number, assembled.graph)
                connection.run(
                    "INSERT INTO about (name, value) VALUES ('digest', ?)"
                    " ON CONFLICT (name) DO UPDATE SET value = excluded.value",
                    (digest,),
                )
            hosts_changed = write_hosts(connection, number, hosts, whole=True)
        if objects + groups > max(_MANY, len(assembled.objects.kinds) // _MUCH):
            self.database.has_grown("object", "membership", "host")
        if self._present is not None:
            self._present.keep(assembled)
        self._keep_hosts()
        return Written(number, objects, groups, hosts_changed, gone)

    def write_observed(
        self,
        facts: CollectionFacts,
        observed: Sequence[Observed],
        hosts: Iterable[Host],
        *,
        removed: Iterable[bytes] = (),
        left: Iterable[bytes] = (),
        all_hosts: bool = False,
    ) -> Written:
        """Store what was read again of some objects, and which are gone; everything else goes on holding.

        `removed` are keys of what was deleted, `left` of what is here no more and may well live elsewhere. `all_hosts`
        says that hosts which are not given are looked after no more.
        """
        domain = self.latest().facts.domain
        observed, replaced = self._with_outsiders(domain, observed)
        ids = self.ids_for([seen.row.key for seen in observed])
        deleted = self.ids_of(removed)
        gone = deleted + self.ids_of(left)
        in_place = {former: i for seen, i in zip(observed, ids, strict=True) if (former := replaced.get(seen.row.key))}
        with self.database.writing() as connection:
            # As it stood before this collection, which is no whole one until its rows are written.
            stood = (self._catalogue(), self.load_graph()) if observed or gone else None
            number = begin(connection, facts)
            objects = groups = 0
            if stood is not None:
                partial = PartialWrite(*stood, domain, observed, ids, gone, in_place)
                connection.run("DELETE FROM about WHERE name = 'digest'")
                objects, groups = partial.write(connection, number)
            hosts_changed = write_hosts(connection, number, hosts, whole=all_hosts)
            write_seen_deleted(connection, list(sids_of_ids(connection, deleted)))
        if self._present is not None and (objects or groups):
            self._present.columns()  # brought on now, so that no look need to
        self._keep_hosts()
        return Written(number, objects, groups, hosts_changed)

    def _keep_hosts(self) -> None:
        """Make the copy of the hosts anew, or say that it still holds, so that no look need to."""
        if self._kept_hosts is not None:
            self._kept_hosts.columns()

    def schema(self) -> tuple[str, str]:
        """Return the stamp of the server's schema and that as JSON; empty where none was read."""
        with self.database.reading() as connection:
            row = one(connection, "SELECT stamp, body FROM server_schema")
        return (str(row[0]), str(row[1])) if row is not None else ("", "")

    def write_schema(self, stamp: str, body: str) -> None:
        """Keep the server's schema in the place of an earlier one."""
        with self.database.writing() as connection:
            connection.run("DELETE FROM server_schema")
            connection.run("INSERT INTO server_schema (stamp, body) VALUES (?, ?)", (stamp, body))

    def note_deleted(self, sids: Iterable[str]) -> None:
        """Note that these were seen deleted."""
        with self.database.writing() as connection:
            write_seen_deleted(connection, sids)

    def seen_deleted(self) -> frozenset[str]:
        """Return the SIDs that were seen deleted, by the directory or by us."""
        with self.database.reading() as connection:
            return frozenset(str(sid) for (sid,) in connection.rows("SELECT sid FROM seen_deleted"))

    def _catalogue(self) -> StoredCatalogue:
        return self._catalogue_of(self.latest().facts.domain)

    def _catalogue_of(self, domain: Domain, collection: int | None = None) -> StoredCatalogue:
        columns = self._columns_at(collection)
        if columns is not None:
            return KeptCatalogue(self.database, domain, columns, collection)
        return StoredCatalogue(self.database, domain, collection)

    def _columns_at(self, collection: int | None) -> Checked | None:
        """Return the columns of what holds now or held after a collection, as far as they are kept."""
        if self._present is None:
            return None
        return self._present.columns() if collection is None else self._present.columns_at(collection)

    def altered_containers(self, observed: Sequence[Observed]) -> list[str]:
        """Return the names of containers among them that stand elsewhere, or under other rights, than the store has.

        What lies below such a container has changed without saying so: its name, or its inherited rights.
        """
        containers = [seen for seen in observed if seen.row.kind in CONTAINERS]
        with self.database.reading() as connection:
            known = _known_ids(connection, [seen.row.key for seen in containers])
        ids = [known[seen.row.key] for seen in containers if seen.row.key in known]
        catalogue = self._catalogue()
        before, rights = catalogue.principals(ids), catalogue.descriptors(ids)
        return [
            seen.row.dn
            for seen in containers
            if (i := known.get(seen.row.key)) in before
            and (before[i].dn, rights.get(i, b"")) != (seen.row.dn, seen.row.descriptor)
        ]

    def _with_outsiders(
        self, domain: Domain, observed: Sequence[Observed]
    ) -> tuple[Sequence[Observed], dict[bytes, int]]:
        """Add rows for those without an object whom these name.

        Return as well by the keys of objects the ids of the rows that stood for their SIDs before: of somebody without
        one, or a placeholder of somebody of our own domains who was deleted, and is back.
        """
        fresh = outsiders(domain, observed)
        foreign = any(seen.row.kind == Kind.FOREIGN for seen in observed)
        if not fresh and not foreign and not domain.others:
            return observed, {}
        catalogue = self._catalogue()
        standing = catalogue.principals(catalogue.of_kind(Kind.FOREIGN).tolist()).values()
        known = {one.sid for one in standing}
        replaced: dict[bytes, int] = {}
        alone = (one for one in standing if sid_of_dn(one.dn) or domain.of_sid(one.sid or "") is not None)
        by_sid = {str(one.sid): one for one in alone}
        for seen in observed:
            stood = by_sid.get(seen.row.sid) if seen.row.sid else None
            if stood is None or seen.row.key == key_of_outsider(seen.row.sid):
                continue
            if sid_of_dn(stood.dn) or seen.row.kind != Kind.FOREIGN:
                replaced[seen.row.key] = stood.id
        return [*observed, *(one for one in fresh if one.row.sid not in known)], replaced

    def computers(self) -> list[Host]:
        """Return every computer of the directory, as a host of which nothing is read yet."""
        query = (
            "SELECT o.id, o.name, o.dn, o.details, o.primary_rid, a.text, o.rid FROM object o LEFT JOIN authority a"
            " ON a.id = o.authority WHERE o.until IS NULL AND o.kind = ?"
        )
        with self.database.reading() as connection:
            rows = connection.rows(query, (int(Kind.COMPUTER),))
        return [
            Host(
                i,
                name,
                dn,
                sid=f"{authority}-{rid}" if authority else "",
                source="",
                details=details,
                is_of_directory=primary in DIRECTORY_SERVER_GROUPS,
            )
            for i, name, dn, details, primary, authority, rid in rows
        ]

    def ids_of(self, keys: Iterable[bytes]) -> list[int]:
        """Return the ids of the objects with these keys that are there now, less those that are not known."""
        with self.database.reading() as connection:
            return list(_known_ids(connection, list(keys), "until IS NULL").values())

    def keys_below(self, dns: Iterable[str]) -> dict[bytes, str]:
        """Return by key the names of the objects that are below these containers now, and of the containers."""
        catalogue = self._catalogue()
        ids = [int(i) for dn in dns for i in (*catalogue.below(dn).tolist(), catalogue.by_dn(dn)) if i is not None]
        found: dict[bytes, str] = {}
        with self.database.reading() as connection:
            for some in batched(ids):
                rows = connection.rows(
                    f"SELECT key, name FROM object WHERE until IS NULL AND {among('id', len(some))}", some
                )
                found |= {bytes(key): str(name) for key, name in rows}
        return found

    def ever_had(self, keys: Iterable[bytes]) -> dict[bytes, int]:
        """Return by key the ids of those objects that were ever there."""
        with self.database.reading() as connection:
            return _known_ids(connection, list(keys))

    def last_with(self, key: bytes) -> StoredCollection | None:
        """Return the last collection in which there was an object with this key; None for one that never was."""
        with self.database.reading() as connection:
            query = "SELECT COUNT(*), COUNT(until), MAX(until) FROM object WHERE key = ? AND since > 0"
            rows, ended, until = connection.rows(query, (key,))[0]
            if not rows:
                return None
            return last_where(connection, *(("id > 0", ()) if ended < rows else ("id < ?", (until,))))

    def latest(self) -> StoredCollection:
        """Return the last collection; `NothingCollectedError` before the first."""
        last = self._last_where("id > 0")
        if last is None:
            raise NothingCollectedError
        return last

    def at(self, moment: datetime) -> StoredCollection:
        """Return the collection that was the last one at a moment; `UnknownNameError` before the first."""
        last = self._last_where("finished <= ?", moment.timestamp())
        if last is None:
            raise UnknownNameError(
                f"nothing had been collected by {when(moment)}",
                f"The first was {when(self.first_moment())}",
            )
        return last

    def write_folder(self, server: str, share: str, path: str, descriptor: bytes) -> None:
        """Write the permissions that stand on a folder of a file share now."""
        from adzeguard.store.shares import Shares

        Shares(self.database).replace_folder(server, share, path, descriptor)

    def moments(self, most: int) -> list[datetime]:
        """Return when collections ended, oldest first; of many, so many of them evenly."""
        with self.database.reading() as connection:
            times = [float(at) for (at,) in connection.rows("SELECT finished FROM collection ORDER BY id")]
        step = max(1, -(-len(times) // most))
        kept = times[::-1][::step][::-1]
        return [datetime.fromtimestamp(at, UTC) for at in kept]

    def altered(self, before: datetime, after: datetime | None) -> list[int]:
        """Return the ids of the objects whose rows differ between two moments, the second being now without one."""
        first = self.at(before).id
        last = (self.latest() if after is None else self.at(after)).id
        low, high = sorted((first, last))
        with self.database.reading() as connection:
            return changed_between(connection, "object", "id", low, high)

    def altered_hosts(self, before: datetime, after: datetime | None) -> list[tuple[Host, Host]]:
        """Return the hosts that said something else at the second moment than at the first, as they were and are."""
        first, last = self.at(before).id, (self.latest() if after is None else self.at(after)).id
        with self.database.reading() as connection:
            ids = changed_between(connection, "host", "id", min(first, last), max(first, last))
            was, now = (hosts_of(connection, valid_at(number), ids) for number in (first, last))
        return [(was[i], host) for i, host in now.items() if i in was]

    def last_from(self, invocation_id: str) -> StoredCollection | None:
        """Return the last collection that read the directory from this server."""
        return self._last_where("kind <> ? AND invocation_id = ?", ENACTMENT, invocation_id)

    def last_full(self) -> StoredCollection | None:
        """Return the last collection that read the directory, not only what an enactment had touched."""
        return self._last_where("kind <> ?", ENACTMENT)

    def first_moment(self) -> datetime:
        """Return when the first collection was finished."""
        return (self._last_where("id = 1") or self.latest()).facts.finished

    def moment_before_last(self) -> datetime | None:
        """Return when the collection before the last one was finished, if there is one."""
        before = self._last_where("id < ?", self.latest().id)
        return before.facts.finished if before else None

    def _last_where(self, condition: str, *values: Any) -> StoredCollection | None:
        with self.database.reading() as connection:
            return last_where(connection, condition, values)

    def load(self, moment: datetime | None = None) -> Estate:
        """Return the estate as it stands now, or stood at a moment; objects and hosts are fetched when looked at."""
        stored = self.latest() if moment is None else self.at(moment)
        collection = None if moment is None else stored.id
        catalogue = self._catalogue_of(stored.facts.domain, collection)
        hosts = StoredHosts(self.database, valid_at(collection), self._kept_hosts if collection is None else None)
        return Estate(stored.facts.finished, stored.facts.domain, catalogue, lambda: self.load_graph(collection), hosts)

    def load_graph(self, collection: int | None = None) -> MembershipGraph:
        """Return all memberships, as they are now or were after a collection."""
        columns = self._columns_at(collection)
        if columns is not None:
            return graph_of(columns, columns.length("kinds"))
        with self.database.reading() as connection:
            return read_graph(connection, size_of(connection), valid_at(collection))

    def hosts_unread(self) -> tuple[int, list[str]]:
        """Return how many hosts there are, and the names of those that could not be read the last time."""
        # In this order: by itself SQLite went over all objects to find the few hosts.
        joined = (
            "SELECT o.name FROM host h CROSS JOIN object o WHERE o.id = h.id AND h.until IS NULL AND o.until IS NULL"
        )
        with self.database.reading() as connection:
            (count,) = one(connection, "SELECT count(*) FROM host WHERE until IS NULL AND source <> ''") or (0,)
            rows = connection.rows(f"{joined} AND h.trouble <> '' ORDER BY o.name")
        return int(count), [name for (name,) in rows]

    def names_had(self, object_id: int) -> list[str]:
        """Return every DN that an object has had since it was first collected."""
        with self.database.reading() as connection:
            return [str(dn) for (dn,) in connection.rows("SELECT DISTINCT dn FROM object WHERE id = ?", (object_id,))]

    def sids_of(self, dns: Iterable[str]) -> dict[str, str]:
        """Return by folded DNs the SID of what has each, empty where that has none; else of what had it last.

        What no object has or had is left out.
        """
        wanted = {fold_dn(dn) for dn in dns}
        found: dict[str, str] = {}
        with self.database.reading() as connection:
            for some in batched(sorted(wanted)):
                hashes = [text_hash(folded) for folded in some]
                # First who has it now, then who had it, the last one first: the first one that is found counts.
                for condition, there in (("o.until IS NULL", True), ("o.until IS NOT NULL", False)):
                    query = (
                        "SELECT o.dn, a.text, o.rid FROM object o LEFT JOIN authority a ON a.id = o.authority"
                        f" WHERE {condition} AND {among('o.dn_hash', len(some))} ORDER BY o.until DESC"
                    )
                    for dn, authority, rid in connection.rows(query, hashes):
                        if there or authority:
                            found.setdefault(fold_dn(dn), f"{authority}-{rid}" if authority else "")
        return {dn: sid for dn, sid in found.items() if dn in wanted}

    def hosts_read_at(self) -> dict[int, datetime]:
        """Return by the ids of the hosts that are looked after when each answered last."""
        with self.database.reading() as connection:
            return {i: datetime.fromtimestamp(moment, UTC) for i, moment in read_at(connection).items()}

    def load_hosts(self, collection: int | None = None) -> list[Host]:
        """Return all hosts with the state last read of each, now or after a collection."""
        with self.database.reading() as connection:
            return read_hosts(connection, valid_at(collection))


def _known_ids(connection: Connection, keys: Sequence[bytes], condition: str = "since > 0") -> dict[bytes, int]:
    """Return the ids of those keys that the store knows; of many, all are read at once."""
    if len(keys) > size_of(connection) // 4:
        wanted = set(keys)
        rows = connection.rows(f"SELECT key, id FROM object WHERE {condition}")
        return {bytes(key): i for key, i in rows if bytes(key) in wanted}
    known: dict[bytes, int] = {}
    for some in batched(keys):
        query = f"SELECT key, id FROM object WHERE {condition} AND {among('key', len(some))}"
        known |= {bytes(key): i for key, i in connection.rows(query, some)}
    return known
