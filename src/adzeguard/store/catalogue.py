"""The objects of the store, looked up without loading them all."""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.estate.catalogue import DescriptorUse, Domain
from adzeguard.core.estate.foreign import ForeignName, with_foreign_name
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.objects import principal_of_row
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import fold_dn, is_below, parent_dn
from adzeguard.store.batches import among, batched
from adzeguard.store.collections import valid_at
from adzeguard.store.columns import SHOWN, listed, text_hash, unpacked
from adzeguard.store.connection import Database, Row, pattern_of
from adzeguard.store.foreign_names import ForeignNames
from adzeguard.store.indexes import DETAIL_KEYS
from adzeguard.store.kept_columns import Checked
from adzeguard.store.kept_objects import KeptObjects

_READ_ALL_FROM: Final = 50_000
_FEW_SIDS: Final = 20
_FEW_DESCRIPTORS: Final = 1000


class StoredCatalogue:
    """What holds in the store now, or held after an earlier collection."""

    def __init__(self, database: Database, domain: Domain, collection: int | None = None) -> None:
        self._database = database
        self._valid = valid_at(collection)
        self._domain = domain
        self._known: dict[int, Principal] = {}
        self._called: dict[str, list[int]] = {}
        self._standing: dict[str, int | None] = {}
        self._foreign: Mapping[str, ForeignName] | None = None

    @cached_property
    def _authorities(self) -> dict[int, str]:
        return dict(self._query("SELECT id, text FROM authority"))

    @property
    def size(self) -> int:
        """One more than the highest id."""
        return int(next(self._query("SELECT coalesce(max(id), -1) + 1 FROM object"))[0])

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id; an id that stands for nothing is left out."""
        wanted = {int(i) for i in ids}
        if len(wanted) >= _READ_ALL_FROM:
            found = {row[0]: self._principal(row) for row in self._objects("") if row[0] in wanted}
            return self._with_names(found)
        # Thousands of hosts name the same few, and each is asked about on its own: nothing here may go through all that
        # is known, as a difference of two sets does.
        for some in batched(sorted(i for i in wanted if i not in self._known)):
            found = {row[0]: self._principal(row) for row in self._objects(among("id", len(some)), some)}
            self._known |= self._with_names(found)
        return {i: self._known[i] for i in sorted(wanted) if i in self._known}

    def foreign_names(self) -> Mapping[str, ForeignName]:
        """Return what is known of the names of those of other domains, by SID."""
        if self._foreign is None:
            self._foreign = ForeignNames(self._database).all()
        return self._foreign

    def _with_names(self, found: dict[int, Principal]) -> dict[int, Principal]:
        for i in [i for i, one in found.items() if one.kind == Kind.FOREIGN]:
            found[i] = with_foreign_name(found[i], self.foreign_names())
        return found

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID that belongs to an object."""
        matches: dict[str, int] = {}
        by_rid: dict[int, set[str]] = {}
        given_out = set(self._authorities.values())
        for sid in sids:
            authority, _, rid = sid.rpartition("-")
            if authority in given_out:  # the accounts that hosts have for themselves are of none
                by_rid.setdefault(int(rid), set()).add(sid)
        for some in batched(sorted(by_rid)):
            query = f"SELECT id, authority, rid FROM object WHERE {self._valid} AND {among('rid', len(some))}"
            for object_id, authority, rid in self._query(query, some):
                if authority is not None and f"{self._authorities[authority]}-{rid}" in by_rid[rid]:
                    matches[f"{self._authorities[authority]}-{rid}"] = object_id
        return matches

    def look_ahead(self, names: Iterable[str], dns: Iterable[str]) -> None:
        """Find what is called like one of these, or stands there, before each of them is asked for."""
        by_name: dict[str, list[int]] = {name.casefold(): [] for name in names}
        by_dn: dict[str, int | None] = {fold_dn(dn): None for dn in dns}
        for i, text in self._by_hashes("name", by_name):
            if text.casefold() in by_name:
                by_name[text.casefold()].append(i)
        for i, text in self._by_hashes("dn", by_dn):
            if fold_dn(text) in by_dn:
                by_dn[fold_dn(text)] = i
        self._called |= {name: sorted(ids) for name, ids in by_name.items()}
        self._standing |= by_dn
        self.principals([i for ids in by_name.values() for i in ids] + [i for i in by_dn.values() if i is not None])

    def _by_hashes(self, column: str, folded: Iterable[str]) -> Iterator[tuple[int, str]]:
        for some in batched(sorted({text_hash(text) for text in folded})):
            where = f"{self._valid} AND {among(f'{column}_hash', len(some))}"
            yield from self._query(f"SELECT id, {column} FROM object WHERE {where}", some)

    def by_dn(self, dn: str) -> int | None:
        """Return the object with this distinguished name."""
        folded = fold_dn(dn)
        if folded not in self._standing:
            query = f"SELECT id, dn FROM object WHERE {self._valid} AND dn_hash = ?"
            matches = self._query(query, (text_hash(folded),))
            # The same few containers are asked for again and again.
            self._standing[folded] = next((i for i, text in matches if fold_dn(text) == folded), None)
        return self._standing[folded]

    def by_name(self, name: str) -> list[int]:
        """Return the objects with exactly this name."""
        folded = name.casefold()
        if folded in self._called:
            return self._called[folded]
        matches = self._query(
            f"SELECT id, name FROM object WHERE {self._valid} AND name_hash = ?", (text_hash(folded),)
        )
        return sorted(object_id for object_id, text in matches if text.casefold() == folded)

    def by_user_principal_name(self, name: str) -> list[int]:
        """Return the objects with this user principal name."""
        wanted = name.casefold()
        query = f"SELECT id, details FROM object WHERE {self._valid} AND details LIKE ? ESCAPE '!'"
        matches = self._query(query, (pattern_of(f'"user_principal_name": "{name}"'),))
        return [i for i, text in matches if str(json.loads(text).get("user_principal_name", "")).casefold() == wanted]

    def containing(self, part: str, limit: int) -> list[int]:
        """Return up to `limit` objects in whose name the text stands, those that begin with it first."""
        if part.isascii():
            query = f"SELECT id, name FROM object WHERE {self._valid} AND name LIKE ? ESCAPE '!'"
            matches = self._query(query, (pattern_of(part),))
        else:  # LIKE folds the case of ASCII only
            matches = self._query(f"SELECT id, name FROM object WHERE {self._valid}")
        wanted = part.casefold()
        near = sorted(
            (not n.casefold().startswith(wanted), n.casefold(), i) for i, n in matches if wanted in n.casefold()
        )
        return [object_id for _, _, object_id in near[:limit]]

    def beyond_ascii(self) -> Ids:
        """Return the ids of all objects whose name has letters that are none of ASCII, sorted."""
        with self._database.reading() as connection:
            octets = connection.dialect.octets.format("name")
            rows = connection.rows(
                f"SELECT id FROM object WHERE {self._valid} AND {octets} <> length(name) ORDER BY id"
            )
        return np.fromiter((row[0] for row in rows), np.int32)

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind, sorted."""
        matches = self._query(f"SELECT id FROM object WHERE {self._valid} AND kind = ? ORDER BY id", (int(kind),))
        return np.fromiter((row[0] for row in matches), np.int32)

    def count_of(self, kind: Kind) -> int:
        """Return how many objects there are of a kind."""
        query = f"SELECT count(*) FROM object WHERE {self._valid} AND kind = ?"
        return int(next(self._query(query, (int(kind),)))[0])

    def times_of(self, kind: Kind) -> tuple[Ids, NDArray[np.int64]]:
        """Return the ids of all objects of a kind, sorted, and their times."""
        columns = "id, created, last_logon, password_set, expires"
        rows = list(
            self._query(f"SELECT {columns} FROM object WHERE {self._valid} AND kind = ? ORDER BY id", (int(kind),))
        )
        table = np.array(rows, np.int64).reshape(len(rows), 5)
        return table[:, 0].astype(np.int32), table[:, 1:]

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true, sorted."""
        matches = self._query(
            f"SELECT id FROM object WHERE {self._valid} AND (flags & ?) <> 0 ORDER BY id", (int(flag),)
        )
        return np.fromiter((row[0] for row in matches), np.int32)

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects below a container, at any depth, sorted."""
        top = fold_dn(dn)
        leaf = top.rpartition(",")[2]
        matches = self._query(
            f"SELECT id, dn FROM object WHERE {self._valid} AND dn LIKE ? ESCAPE '!'", (pattern_of(leaf),)
        )
        return np.array(sorted(i for i, name in matches if is_below(fold_dn(name), top)), np.int32)

    def holding_other_than(self, kind: Kind) -> frozenset[str]:
        """Return the folded names of the containers that hold an object of any other kind, not deeper down."""
        rows = self._query(f"SELECT dn FROM object WHERE {self._valid} AND kind <> ?", (int(kind),))
        return frozenset(fold_dn(parent_dn(dn)) for (dn,) in rows)

    def with_detail(self, key: str) -> Ids:
        """Return the ids of all objects that have such a detail, sorted: by an index, of what holds now."""
        holds = DETAIL_KEYS[key]
        with self._database.reading() as connection:
            query = f"SELECT id FROM object WHERE {self._valid} AND {connection.dialect.holds.format('details', holds)}"
            return np.array(sorted(i for (i,) in connection.rows(query)), np.int32)

    def descriptors(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the security descriptors of objects; those that came without one are left out."""
        matches: dict[int, bytes] = {}
        for some in batched(sorted({int(i) for i in ids})):
            where = f"{self._valid} AND {among('o.id', len(some))}"
            query = f"SELECT o.id, d.data FROM object o JOIN descriptor d ON d.key = o.descriptor WHERE {where}"
            matches |= dict(self._query(query, some))
        return matches

    def descriptor_uses(self) -> Iterator[DescriptorUse]:
        """Yield each distinct security descriptor and kind of object together."""
        return iter(self._descriptor_uses)

    @cached_property
    def _descriptor_uses(self) -> list[DescriptorUse]:
        """The database joins the ids of each use to one text: as rows they would be a million for a few dozen uses."""
        where = f"{self._valid} AND descriptor IS NOT NULL GROUP BY descriptor, kind"
        with self._database.reading() as connection:
            joined = connection.dialect.joined.format("id")
            rows = connection.rows(f"SELECT descriptor, kind, {joined}, min(id) FROM object WHERE {where}")
        known: dict[bytes, bytes] = dict(self._query("SELECT key, data FROM descriptor"))
        uses = sorted(rows, key=lambda row: row[3])
        try:
            return [DescriptorUse(known[key], Kind(kind), partial(_numbers, text)) for key, kind, text, _ in uses]
        except (ValueError, KeyError) as error:
            raise StoreDamagedError("an object has a descriptor or is of a kind that there is not") from error

    def _objects(self, condition: str, values: Iterable[Any] = ()) -> Iterator[Row]:
        where = f" AND {condition}" if condition else ""
        return self._query(f"SELECT {listed(SHOWN)} FROM object WHERE {self._valid}{where}", values)

    def _principal(self, row: Row) -> Principal:
        try:
            return principal_of_row(row[0], unpacked(row, self._authorities), self._domain)
        except (ValueError, LookupError, TypeError, AttributeError, RecursionError) as error:
            raise StoreDamagedError(f"object {row[0]} cannot be read") from error

    def _query(self, query: str, values: Iterable[Any] = ()) -> Iterator[Row]:
        with self._database.reading() as connection:
            return iter(connection.rows(query.replace(" LIKE ", f" {connection.dialect.like} "), tuple(values)))


class KeptCatalogue(StoredCatalogue):
    """What holds in the store, or held after an earlier collection, as far as possible by the kept columns."""

    def __init__(self, database: Database, domain: Domain, columns: Checked, collection: int | None = None) -> None:
        super().__init__(database, domain, collection)
        self._kept = KeptObjects(columns, domain, self._details_of)
        self._is_past = collection is not None
        self._raw: dict[bytes, bytes] = {}

    @property
    def size(self) -> int:
        """One more than the highest id."""
        return self._kept.size

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id; an id that stands for nothing is left out."""
        wanted = sorted({int(i) for i in ids})
        if len(wanted) >= _READ_ALL_FROM:
            return self._with_names(self._kept.principals(wanted))
        fresh = [i for i in wanted if i not in self._known]
        if fresh:
            self._known |= self._with_names(self._kept.principals(fresh))
        return {i: self._known[i] for i in wanted if i in self._known}

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID that belongs to an object."""
        wanted = set(sids)
        few = len(wanted) < _FEW_SIDS and not self._is_past
        return super().by_sids(wanted) if few else self._kept.by_sids(wanted)

    def ids_at(self, authorities: Sequence[str], places: NDArray[np.int32], rids: NDArray[np.uint32]) -> Ids:
        """Return the id of each of many SIDs, -1 for none; `places` says which of the authorities it is of."""
        return self._kept.ids_at(authorities, places, rids)

    def look_ahead(self, names: Iterable[str], dns: Iterable[str]) -> None:
        """Find many names or places at once, where there is an index of them."""
        if not self._is_past:
            super().look_ahead(names, dns)

    def by_name(self, name: str) -> list[int]:
        """Return the objects with exactly this name: of the past there is no index."""
        return self._kept.called(name) if self._is_past else super().by_name(name)

    def by_dn(self, dn: str) -> int | None:
        """Return the object with this distinguished name."""
        return self._kept.with_dn(dn) if self._is_past else super().by_dn(dn)

    def containing(self, part: str, limit: int) -> list[int]:
        """Return up to `limit` objects in whose name the text stands, those that begin with it first."""
        return self._kept.containing(part, limit)

    def beyond_ascii(self) -> Ids:
        """Return the ids of all objects whose name has letters that are none of ASCII, sorted."""
        return self._kept.beyond_ascii()

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind, sorted."""
        return self._kept.of_kind(kind)

    def count_of(self, kind: Kind) -> int:
        """Return how many objects there are of a kind."""
        return len(self._kept.of_kind(kind))

    def times_of(self, kind: Kind) -> tuple[Ids, NDArray[np.int64]]:
        """Return the ids of all objects of a kind, sorted, and their times."""
        return self._kept.times_of(kind)

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true, sorted."""
        return self._kept.flagged(flag)

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects below a container, at any depth, sorted."""
        return self._kept.below(dn)

    def holding_other_than(self, kind: Kind) -> frozenset[str]:
        """Return the folded names of the containers that hold an object of any other kind, not deeper down."""
        return self._kept.holding_other_than(kind)

    def descriptors(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the security descriptors of objects; those that came without one are left out."""
        keys = self._kept.descriptor_keys(ids)
        raw = self._raw_descriptors(set(keys.values()))
        return {i: raw[key] for i, key in keys.items() if key in raw}

    @cached_property
    def _descriptor_uses(self) -> list[DescriptorUse]:
        uses = self._kept.descriptor_uses()
        raw = self._raw_descriptors({key for key, _, _ in uses})
        try:
            return [DescriptorUse(raw[key], kind, ids_of) for key, kind, ids_of in uses]
        except KeyError as error:
            raise StoreDamagedError("an object has a descriptor that there is not") from error

    def _raw_descriptors(self, keys: set[bytes]) -> dict[bytes, bytes]:
        """Return descriptors by their keys, each read once."""
        fresh = sorted(keys - self._raw.keys())
        for some in batched(fresh) if len(fresh) <= _FEW_DESCRIPTORS else ():
            self._raw |= dict(self._query(f"SELECT key, data FROM descriptor WHERE {among('key', len(some))}", some))
        if len(fresh) > _FEW_DESCRIPTORS:
            self._raw |= dict(self._query("SELECT key, data FROM descriptor"))
        return self._raw

    def _details_of(self, ids: list[int]) -> Mapping[int, str]:
        found: dict[int, str] = {}
        for some in batched(ids):
            query = f"SELECT id, details FROM object WHERE {self._valid} AND {among('id', len(some))}"
            found |= dict(self._query(query, some))
        return found


def _numbers(text: str) -> list[int]:
    return sorted(map(int, text.split(",")))
