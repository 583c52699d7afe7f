"""The objects as kept columns: what a look counts, sorts and names, without a row of the store."""

import heapq
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cache, cached_property, partial
from typing import Any, Final, cast

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.errors import StoreDamagedError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.late_details import TIMES, LateDetails
from adzeguard.core.estate.links import Ids, distinct, gathered, spliced
from adzeguard.core.estate.objects import Objects, qualified_name
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.estate.rows import ObjectRow
from adzeguard.core.estate.texts import Texts
from adzeguard.core.identity import Sid, fold_dn, is_below, parent_dn
from adzeguard.store.columns import ODD_IN_A_DN, descriptor_key
from adzeguard.store.kept_columns import Checked, Columns, grown

NUMBERS: Final = {
    "kinds": "u1",
    "flags": "<u4",
    "primary_rids": "<u4",
    "authorities": "<i4",
    "rids": "<u4",
    "descriptors": "<i4",
    **dict.fromkeys(TIMES, "<i8"),
}
"""The columns of numbers. An authority is the place of its text among `authority_names`, -1 without a SID; a descriptor
that of its key among `descriptor_keys`, -1 without one."""
NONE: Final = -1
TEXTS: Final = ("names", "dns", "authority_names", "descriptor_keys")
_PLACES: Final = ("authorities", "descriptors")
_ROWS_AT_ONCE: Final = 100_000
_LAST_ASCII: Final = 0x7F
_KINDS: Final = {int(kind): kind for kind in Kind}
_DETAILS_AT_ONCE: Final = 500
_FEW_TEXTS: Final = 64
_SPARSE: Final = 8
_SMALL_TABLE: Final = 1 << 16


def columns_of_objects(objects: Objects, size: int) -> dict[str, NDArray[Any]]:
    """Return the columns of objects, among so many ids."""
    numbers: dict[str, NDArray[Any]] = {
        "kinds": objects.kinds,
        "flags": objects.flags,
        "primary_rids": objects.primary_group_rids,
        "authorities": objects.authorities,
        "rids": objects.rids,
        "descriptors": objects.descriptors_of,
        **{name: objects.times[:, place] for place, name in enumerate(TIMES)},
    }
    columns = {name: grown(numbers[name].astype(kind), size, empty(name)) for name, kind in NUMBERS.items()}
    for name, texts in (("names", objects.names), ("dns", objects.dns)):
        columns |= columns_of_texts(name, texts.starts, np.frombuffer(texts.data, "u1"), size)
    columns |= columns_of_names("descriptor_keys", (descriptor_key(raw).hex() for raw in objects.descriptor_bytes))
    return columns | columns_of_names("authority_names", objects.authority_names)


def columns_of_names(name: str, names: Iterable[str]) -> dict[str, NDArray[Any]]:
    """Return the columns of the names that other columns have places among."""
    texts = Texts.of(names)
    return columns_of_texts(name, texts.starts, np.frombuffer(texts.data, "u1"), len(texts))


def columns_of_texts(
    name: str, starts: NDArray[np.int64], data: NDArray[np.uint8], size: int
) -> dict[str, NDArray[Any]]:
    """Return the columns of so many texts, empty ones at the end where there are fewer."""
    return {f"{name}.starts": grown(starts.astype("<u4"), size + 1, int(starts[-1])), f"{name}.data": data}


def empty(name: str) -> int:
    """Return what stands in a column of numbers for an id that stands for nothing."""
    return NONE if name in _PLACES else 0


def objects_brought_on(
    before: Columns, size: int, rows: Mapping[int, ObjectRow | None], descriptors: Mapping[int, bytes]
) -> dict[str, NDArray[Any]]:
    """Return the columns as they are after these objects have changed, are new, or are gone (None).

    `descriptors` are the keys of the descriptors of those that have one.
    """
    ids = sorted(rows)
    absent = ObjectRow(b"", Kind.ABSENT, 0, "", 0, "", "", 0, 0, 0, 0, b"", "")
    new = [rows[i] or absent for i in ids]
    known = list(texts_of(before, "authority_names"))
    places = {text: place for place, text in enumerate(known)}
    keys = {key: place for place, key in enumerate(texts_of(before, "descriptor_keys"))}
    held = [keys.setdefault(descriptors[i].hex(), len(keys)) if i in descriptors else NONE for i in ids]
    authorities, rids = [], []
    for row in new:
        authority, _, rid = row.sid.rpartition("-")
        authorities.append(places.setdefault(authority, len(places)) if row.sid else NONE)
        rids.append(int(rid) if row.sid else 0)
    values = {
        "kinds": [row.kind for row in new],
        "flags": [row.flags for row in new],
        "primary_rids": [row.primary_group_rid for row in new],
        "authorities": authorities,
        "rids": rids,
        "descriptors": held,
        **{name: [getattr(row, name) for row in new] for name in TIMES},
    }
    columns: dict[str, NDArray[Any]] = {}
    for name, numbers in values.items():
        columns[name] = grown(np.array(before[name]), size, empty(name))
        columns[name][ids] = numbers
    for name, of in (("names", "name"), ("dns", "dn")):
        runs = {i: _bytes_of(getattr(row, of)) for i, row in zip(ids, new, strict=True)}
        grown_starts = grown(before[f"{name}.starts"].astype(np.int64), size + 1, int(before[f"{name}.starts"][-1]))
        starts, data = spliced(grown_starts, before[f"{name}.data"], runs)
        columns |= columns_of_texts(name, starts, data, size)
    return columns | columns_of_names("authority_names", places) | columns_of_names("descriptor_keys", keys)


def texts_of(columns: Columns, name: str) -> Texts:
    """Return a column of texts."""
    return Texts(columns[f"{name}.data"].tobytes(), columns[f"{name}.starts"].astype(np.int64))


def _bytes_of(text: str) -> NDArray[np.uint8]:
    return np.frombuffer(text.encode("utf-8", "surrogateescape"), "u1")


class KeptObjects:
    """What holds now, as columns. `details_of` reads what else the store has of some ids, as JSON."""

    def __init__(self, columns: Checked, domain: Domain, details_of: Callable[[list[int]], Mapping[int, str]]) -> None:
        self._columns = columns
        self._domain = domain
        self._details_of = details_of
        self._odd: dict[tuple[str, int], set[int]] = {}
        self._authorities = list(self._texts("authority_names", 0, columns.length("authority_names.starts") - 1))

    @property
    def size(self) -> int:
        """One more than the highest id."""
        return self._columns.length("kinds")

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id; an id that stands for nothing is left out. Details are read when looked at."""
        wanted = np.array(sorted({i for i in map(int, ids) if 0 <= i < self.size}), np.int64)
        kinds = self._columns.at("kinds", wanted)
        wanted, kinds = wanted[kinds != Kind.ABSENT], kinds[kinds != Kind.ABSENT].tolist()
        columns = [self._columns.at(name, wanted).tolist() for name in ("flags", "primary_rids", "authorities", "rids")]
        texts = [self._texts_at(name, wanted) for name in ("names", "dns")]
        many = _Details(self._columns, wanted, self._details_of)
        found: dict[int, Principal] = {}
        rows = zip(wanted.tolist(), kinds, *columns, *texts, strict=True)
        for place, (i, number, flags, primary, authority, rid, name, dn) in enumerate(rows):
            kind = _KINDS.get(number)
            if kind is None or not -1 <= authority < len(self._authorities):
                raise StoreDamagedError(f"object {i} cannot be read")
            sid = Sid(f"{self._authorities[authority]}-{rid}") if authority >= 0 else None
            label = qualified_name(kind, name, sid, self._domain)
            details = cast("dict[str, Any]", LateDetails(many, place))
            found[i] = Principal(i, kind, name, label, sid, dn, _flag(flags), primary, details)
        return found

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID that belongs to an object."""
        authorities = {text: place for place, text in enumerate(self._authorities)}
        wanted: dict[int, dict[int, str]] = {}
        for sid in sids:
            authority, _, rid = sid.rpartition("-")
            if authority in authorities:
                wanted.setdefault(authorities[authority], {})[int(rid)] = sid
        if not wanted:
            return {}
        matches: dict[str, int] = {}
        of_authority, rids, kinds = (self._columns.whole(name) for name in ("authorities", "rids", "kinds"))
        for place, by_rid in wanted.items():
            ids = np.flatnonzero((of_authority == place) & (kinds != Kind.ABSENT) & _among(rids, by_rid))
            matches |= {by_rid[rid]: i for i, rid in zip(ids.tolist(), rids[ids].tolist(), strict=True)}
        return matches

    def ids_at(self, authorities: Sequence[str], places: NDArray[np.int32], rids: NDArray[np.uint32]) -> Ids:
        """Return the id of each of many SIDs, -1 for none; `places` says which of the authorities it is of."""
        found = np.full(len(places), NONE, np.int32)
        known = {text: place for place, text in enumerate(self._authorities)}
        of_authority, of_rids, kinds = (self._columns.whole(name) for name in ("authorities", "rids", "kinds"))
        for place, authority in enumerate(authorities):
            asked = np.flatnonzero(places == place)
            if not len(asked) or authority not in known:
                continue
            ids = np.flatnonzero((of_authority == known[authority]) & (kinds != Kind.ABSENT))
            if not len(ids):
                continue
            found[asked] = ids_of_numbers(rids[asked], of_rids[ids], ids.astype(np.int32))
        return found

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind, sorted."""
        return np.flatnonzero(self._columns.whole("kinds") == kind).astype(np.int32)

    def times_of(self, kind: Kind) -> tuple[Ids, NDArray[np.int64]]:
        """Return the ids of all objects of a kind, sorted, and their times."""
        ids = self.of_kind(kind)
        return ids, np.stack([self._columns.whole(name)[ids] for name in TIMES], axis=1)

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true, sorted."""
        there = self._columns.whole("kinds") != Kind.ABSENT
        return np.flatnonzero(there & ((self._columns.whole("flags") & int(flag)) != 0)).astype(np.int32)

    def containing(self, part: str, limit: int) -> list[int]:
        """Return up to `limit` objects in whose name the text stands, those that begin with it first."""
        wanted = part.casefold()
        found = [(not folded.startswith(wanted), folded, i) for i, folded in self._with("names", wanted, str.casefold)]
        return [i for _, _, i in heapq.nsmallest(limit, found)]

    def called(self, name: str) -> list[int]:
        """Return the objects with exactly this name."""
        wanted = name.casefold()
        return [i for i, folded in self._with("names", wanted, str.casefold) if folded == wanted]

    def with_dn(self, dn: str) -> int | None:
        """Return the object with this distinguished name."""
        wanted = fold_dn(dn)
        return next((i for i, folded in self._with("dns", wanted, fold_dn, *ODD_IN_A_DN) if folded == wanted), None)

    def beyond_ascii(self) -> Ids:
        """Return the ids of all objects whose name has letters that are none of ASCII, sorted."""
        places = np.flatnonzero(self._columns.whole("names.data") > _LAST_ASCII)
        rows = np.searchsorted(self._columns.whole("names.starts"), places, side="right") - 1
        return distinct(rows.astype(np.int32))

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects below a container, at any depth, sorted."""
        top = fold_dn(dn)
        rows = [i for i, folded in self._with("dns", f",{top}", fold_dn, *ODD_IN_A_DN) if is_below(folded, top)]
        return np.array(sorted(rows), np.int32)

    def descriptor_keys(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the keys of the descriptors of objects; those that came without one are left out."""
        wanted = np.array(sorted({i for i in map(int, ids) if 0 <= i < self.size}), np.int64)
        held = self._columns.at("descriptors", wanted)
        there = held >= 0
        keys = self._descriptor_keys
        return {i: keys[place] for i, place in zip(wanted[there].tolist(), held[there].tolist(), strict=True)}

    def descriptor_uses(self) -> list[tuple[bytes, Kind, Callable[[], list[int]]]]:
        """Return each key of a descriptor and kind of object together, with what gives their ids; lowest ids first."""
        held = self._columns.whole("descriptors").astype(np.int64)
        kinds = self._columns.whole("kinds")
        there = np.flatnonzero((held >= 0) & (kinds != Kind.ABSENT))
        each, first = _pairs(held[there], kinds[there], len(self._descriptor_keys))

        @cache
        def in_order() -> tuple[NDArray[np.int64], NDArray[np.int64]]:
            both = held[there] << 8 | kinds[there]
            order = np.argsort(both, kind="stable")
            return order, np.append(np.searchsorted(both[order], each), len(both))

        def ids_of(place: int) -> list[int]:
            order, bounds = in_order()
            return there[order[bounds[place] : bounds[place + 1]]].tolist()  # type: ignore[no-any-return]

        return [
            (self._descriptor_keys[number >> 8], _KINDS[number & 0xFF], partial(ids_of, place))
            for place in np.argsort(first).tolist()
            for number in [int(each[place])]
        ]

    @cached_property
    def _descriptor_keys(self) -> list[bytes]:
        texts = self._texts("descriptor_keys", 0, self._columns.length("descriptor_keys.starts") - 1)
        return [bytes.fromhex(text) for text in texts]

    def holding_other_than(self, kind: Kind) -> frozenset[str]:
        """Return the folded names of the containers that hold an object of any other kind, not deeper down."""
        kinds = self._columns.whole("kinds")
        wanted = (kinds != Kind.ABSENT) & (kinds != kind)
        found: set[bytes] = set()
        folded: set[str] = set()
        for begin in range(0, len(kinds), _ROWS_AT_ONCE):
            texts = self._texts("dns", begin, min(begin + _ROWS_AT_ONCE, len(kinds)))
            rows = np.flatnonzero(wanted[begin : begin + len(texts)])
            # A comma with a backslash before it ends no part of a name: such names are taken apart by themselves.
            escaped = np.array(sorted(texts.rows_of(b"\\")), np.int64)
            folded |= {fold_dn(parent_dn(texts[row])) for row in np.intersect1d(rows, escaped).tolist()}
            plain = np.setdiff1d(rows, escaped)
            commas = np.append(np.flatnonzero(np.frombuffer(texts.data, "u1") == ord(",")), len(texts.data))
            first = commas[np.searchsorted(commas, texts.starts[plain])]
            ends = texts.starts[plain + 1]
            pairs = zip((np.minimum(first, ends - 1) + 1).tolist(), ends.tolist(), strict=True)
            found |= {texts.data[start:end] for start, end in pairs}
        return frozenset(folded | {fold_dn(dn.decode("utf-8", "surrogateescape")) for dn in found})

    def _with(self, name: str, wanted: str, fold: Callable[[str], str], *odd: bytes) -> Iterator[tuple[int, str]]:
        """Yield the rows, with their folded texts, in which a folded text stands.

        Most texts are ASCII and hold none of the pieces that make folding `odd`, so that it takes their letters down
        and does nothing else: those are searched as bytes, a part of all at a time.
        """
        needle = wanted.encode("utf-8", "surrogateescape")
        rows = self._columns.length(f"{name}.starts") - 1
        for begin in range(0, rows, _ROWS_AT_ONCE):
            texts = self._texts(name, begin, min(begin + _ROWS_AT_ONCE, rows))
            odd_rows = self._odd_rows(name, odd, begin, texts)
            hits = set(texts.lowered().rows_of(needle)) if wanted.isascii() else set()
            for row in sorted(hits | odd_rows):
                folded = fold(texts[row])
                if wanted in folded and self._columns.at("kinds", np.array([begin + row]))[0] != Kind.ABSENT:
                    yield begin + row, folded

    def _odd_rows(self, name: str, odd: tuple[bytes, ...], begin: int, texts: Texts) -> set[int]:
        """Return the rows of a part that are searched by themselves, found once for all searches."""
        if (name, begin) not in self._odd:
            self._odd[name, begin] = texts.rows_with(*odd)
        return self._odd[name, begin]

    def _texts(self, name: str, begin: int, end: int) -> Texts:
        """Return the texts from one row to before another."""
        places = np.array([begin])
        starts = self._columns.read(f"{name}.starts", places, np.array([end + 1]))[begin : end + 1].astype(np.int64)
        data = self._columns.read(f"{name}.data", starts[:1], starts[-1:])[int(starts[0]) : int(starts[-1])]
        return Texts(data.tobytes(), starts - starts[0])

    def _texts_at(self, name: str, rows: NDArray[np.int64]) -> list[str]:
        starts = self._columns.read(f"{name}.starts", rows, rows + 2)
        begins, ends = starts[rows].astype(np.int64), starts[rows + 1].astype(np.int64)
        data, _ = gathered(self._columns.read(f"{name}.data", begins, ends), begins, ends)
        if len(rows) > _FEW_TEXTS:
            self._columns.let_go()
        there = np.append(0, np.cumsum(ends - begins))
        return list(Texts(data.tobytes(), there))


class _Details:
    """The details of the objects that were asked for together, read some hundred at a time."""

    def __init__(
        self, columns: Checked, ids: NDArray[np.int64], details_of: Callable[[list[int]], Mapping[int, str]]
    ) -> None:
        self._columns = columns
        self._ids = ids
        self._details_of = details_of
        self._times: dict[str, list[int]] = {}
        self._texts: dict[int, Mapping[int, str]] = {}
        self._others: dict[int, Mapping[str, Any]] = {}

    def time(self, place: int, key: str) -> int:
        if key not in self._times:
            self._times[key] = self._columns.at(key, self._ids).tolist()
        return self._times[key][place]

    def others(self, place: int) -> Mapping[str, Any]:
        if place not in self._others:
            begin = place - place % _DETAILS_AT_ONCE
            if begin not in self._texts:
                self._texts[begin] = self._details_of(self._ids[begin : begin + _DETAILS_AT_ONCE].tolist())
            i = int(self._ids[place])
            try:
                self._others[place] = dict(json.loads(self._texts[begin].get(i) or "{}").items())
            except (ValueError, AttributeError, RecursionError) as error:
                raise StoreDamagedError(f"object {i} cannot be read") from error
        return self._others[place]


def _pairs(held: NDArray[np.int64], kinds: NDArray[np.uint8], keys: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return which descriptors and kinds stand together, as sorted numbers of both, and where each does so first.

    Most of a million objects share a few descriptors: sorting them all to see that was a twentieth of a check.
    """
    each, first = [], []
    for kind in np.flatnonzero(np.bincount(kinds)).tolist():
        places = np.flatnonzero(kinds == kind)
        first_of = np.full(keys, len(kinds), np.int64)
        np.minimum.at(first_of, held[places], places)
        found = np.flatnonzero(first_of < len(kinds))
        each.append(found << 8 | kind)
        first.append(first_of[found])
    if not each:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    pairs = np.concatenate(each)
    order = np.argsort(pairs)
    return pairs[order], np.concatenate(first)[order]


def ids_of_numbers(wanted: NDArray[np.uint32], there: NDArray[np.uint32], ids: Ids) -> Ids:
    """Return the id that has each number, -1 for none; of two with the same the last one, as one by one.

    A domain gives its numbers one after another, so that they mostly fit into a table: searched by halves, two million
    took half a second.
    """
    highest = int(there.max())
    if highest < max(_SPARSE * len(there), _SMALL_TABLE):
        table = np.full(highest + 1, NONE, np.int32)
        np.maximum.at(table, there, ids)
        known = wanted <= highest
        found = np.full(len(wanted), NONE, np.int32)
        found[known] = table[wanted[known]]
        return found
    order = np.argsort(there, kind="stable")
    there, ids = there[order], ids[order]
    last = np.searchsorted(there, wanted, side="right") - 1
    return np.where((last >= 0) & (there[last] == wanted), ids[last], NONE).astype(np.int32)


@cache
def _flag(number: int) -> Flag:
    return Flag(number)


def _among(numbers: NDArray[Any], wanted: Iterable[int]) -> NDArray[np.bool_]:
    """Return where one of the wanted numbers stands."""
    few = np.sort(np.fromiter(wanted, numbers.dtype))
    places = np.searchsorted(few, numbers)
    places[places == len(few)] = 0
    among: NDArray[np.bool_] = few[places] == numbers
    return among
