"""The objects of a directory in columns, and the catalogue over them."""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.digests import digest_begun
from adzeguard.core.estate.catalogue import DescriptorUse, Domain
from adzeguard.core.estate.foreign import ForeignName
from adzeguard.core.estate.late_details import TIMES
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.estate.rows import NEVER, ObjectRow
from adzeguard.core.estate.texts import Texts
from adzeguard.core.identity import Sid, fold_dn, is_below, parent_dn
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import BUILTIN_AUTHORITY, WELL_KNOWN, built_in_group_name, well_known_name


def principal_of_row(object_id: int, row: ObjectRow, domain: Domain) -> Principal:
    """Make the object that a row describes."""
    sid = Sid(row.sid) if row.sid else None
    kind = Kind(row.kind)
    details: dict[str, Any] = json.loads(row.details) if row.details else {}
    for name in TIMES:
        if getattr(row, name) != NEVER:
            details[name] = getattr(row, name)
    label = qualified_name(kind, row.name, sid, domain)
    return Principal(object_id, kind, row.name, label, sid, row.dn, Flag(row.flags), row.primary_group_rid, details)


def qualified_name(kind: Kind, name: str, sid: Sid | None, domain: Domain) -> str:
    r"""Return the name with its authority, as in DOMAIN\name or well-known\name; just the name without a SID."""
    if sid is None:
        return name
    if kind == Kind.FOREIGN:
        known = well_known_name(sid)
        return rf"well-known\{known}" if known else str(sid)
    if sid.authority == BUILTIN_AUTHORITY:
        return rf"BUILTIN\{name}"
    of = (domain.of_sid(sid) if domain.others else None) or domain
    return rf"{of.short_name}\{name}"


@dataclass(frozen=True)
class Objects:
    """All objects of a directory, one row an id; rows of kind ABSENT are ids that stand for nothing (any more)."""

    domain: Domain
    kinds: NDArray[np.uint8]
    flags: NDArray[np.uint32]
    primary_group_rids: NDArray[np.uint32]
    times: NDArray[np.int64]
    """Four columns: created, last logon, password set, expires."""
    authorities: NDArray[np.int32]
    """Row in `authority_names`, -1 without a SID."""
    rids: NDArray[np.uint32]
    authority_names: tuple[str, ...]
    keys: Texts
    names: Texts
    dns: Texts
    details: Texts
    descriptors_of: NDArray[np.int32]
    """Row in `descriptor_bytes`, -1 without one."""
    descriptor_bytes: tuple[bytes, ...]

    @classmethod
    def of_rows(cls, rows: Sequence[ObjectRow | None], domain: Domain) -> "Objects":
        """Put rows into columns; the place in the sequence is the id, nothing stands for an id that is not used."""
        absent = ObjectRow(b"", Kind.ABSENT, 0, "", 0, "", "", 0, 0, 0, 0, b"", "")
        full = [row or absent for row in rows]
        authority_rows: dict[str, int] = {}
        authorities = np.full(len(full), -1, np.int32)
        rids = np.zeros(len(full), np.uint32)
        descriptor_rows: dict[bytes, int] = {}
        descriptors = np.full(len(full), -1, np.int32)
        for place, row in enumerate(full):
            if row.sid:
                authority, _, rid = row.sid.rpartition("-")
                authorities[place] = authority_rows.setdefault(authority, len(authority_rows))
                rids[place] = int(rid)
            if row.descriptor:
                descriptors[place] = descriptor_rows.setdefault(row.descriptor, len(descriptor_rows))
        times = np.array([(r.created, r.last_logon, r.password_set, r.expires) for r in full], np.int64)
        return cls(
            domain,
            np.array([row.kind for row in full], np.uint8),
            np.array([row.flags for row in full], np.uint32),
            np.array([row.primary_group_rid for row in full], np.uint32),
            times.reshape(len(full), 4),
            authorities,
            rids,
            tuple(authority_rows),
            Texts.of(row.key.hex() for row in full),
            Texts.of(row.name for row in full),
            Texts.of(row.dn for row in full),
            Texts.of(row.details for row in full),
            descriptors,
            tuple(descriptor_rows),
        )

    @property
    def size(self) -> int:
        """One more than the highest id."""
        return len(self.kinds)

    def sid(self, object_id: int) -> str:
        """Return the SID as text, empty for an object without one."""
        authority = int(self.authorities[object_id])
        return f"{self.authority_names[authority]}-{self.rids[object_id]}" if authority >= 0 else ""

    def row(self, object_id: int) -> ObjectRow:
        """Return one row."""
        descriptor = int(self.descriptors_of[object_id])
        created, last_logon, password_set, expires = (int(time) for time in self.times[object_id])
        return ObjectRow(
            bytes.fromhex(self.keys[object_id]),
            int(self.kinds[object_id]),
            int(self.flags[object_id]),
            self.sid(object_id),
            int(self.primary_group_rids[object_id]),
            self.names[object_id],
            self.dns[object_id],
            created,
            last_logon,
            password_set,
            expires,
            self.descriptor_bytes[descriptor] if descriptor >= 0 else b"",
            self.details[object_id],
        )

    def all_rows(self) -> Iterator[tuple[int, ObjectRow]]:
        """Yield every object with its id, quicker than one by one."""
        prefixes = [f"{name}-" for name in self.authority_names]
        data = [*self.descriptor_bytes, b""]
        times = self.times.T.tolist()
        columns = zip(
            self.keys,
            self.kinds.tolist(),
            self.flags.tolist(),
            self.authorities.tolist(),
            self.rids.tolist(),
            self.primary_group_rids.tolist(),
            self.names,
            self.dns,
            *times,
            self.descriptors_of.tolist(),
            self.details,
            strict=True,
        )
        for i, columns_of_one in enumerate(columns):
            (
                key,
                kind,
                flags,
                authority,
                rid,
                primary,
                name,
                dn,
                created,
                logon,
                password,
                expires,
                held,
                details,
            ) = columns_of_one
            if kind != Kind.ABSENT:
                sid = f"{prefixes[authority]}{rid}" if authority >= 0 else ""
                yield (
                    i,
                    ObjectRow(
                        bytes.fromhex(key),
                        kind,
                        flags,
                        sid,
                        primary,
                        name,
                        dn,
                        created,
                        logon,
                        password,
                        expires,
                        data[held],
                        details,
                    ),
                )

    def digest(self) -> bytes:
        """Return 16 bytes that are the same exactly for the same content."""
        summary = digest_begun(16)
        for array in (
            self.kinds,
            self.flags,
            self.primary_group_rids,
            self.times,
            self.authorities,
            self.rids,
            self.descriptors_of,
        ):
            summary.update(np.ascontiguousarray(array).data)
        for texts in (self.keys, self.names, self.dns, self.details):
            texts.feed(summary.update)
        for text in self.authority_names:
            summary.update(text.encode() + b"\0")
        for data in self.descriptor_bytes:
            summary.update(len(data).to_bytes(8, "big") + data)
        return summary.digest()

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id; an id that stands for nothing is left out."""
        present = (int(i) for i in ids)
        return {i: principal_of_row(i, self.row(i), self.domain) for i in present if self.kinds[i] != Kind.ABSENT}

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID that belongs to an object."""
        return {sid: self._id_by_sid[sid] for sid in sids if sid in self._id_by_sid}

    def by_dn(self, dn: str) -> int | None:
        """Return the object with this distinguished name."""
        return self._id_by_dn.get(fold_dn(dn))

    def by_name(self, name: str) -> list[int]:
        """Return the objects with exactly this name."""
        return self._ids_by_name.get(name.casefold(), [])

    def by_user_principal_name(self, name: str) -> list[int]:
        """Return the objects with this user principal name."""
        wanted = name.casefold()
        return [i for i, text in enumerate(self.details) if wanted in text.casefold() and _upn(text) == wanted]

    def containing(self, part: str, limit: int) -> list[int]:
        """Return up to `limit` objects in whose name the text stands, those that begin with it first."""
        wanted = part.casefold()
        found = [name for name in self._ids_by_name if wanted in name]
        found.sort(key=lambda name: (not name.startswith(wanted), name))
        return [i for name in found for i in self._ids_by_name[name]][:limit]

    def beyond_ascii(self) -> Ids:
        """Return the ids of all objects whose name has letters that are none of ASCII, sorted."""
        odd = sorted(i for name, ids in self._ids_by_name.items() if not name.isascii() for i in ids)
        return np.array(odd, np.int32)

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind, sorted."""
        return np.flatnonzero(self.kinds == kind).astype(np.int32)

    def count_of(self, kind: Kind) -> int:
        """Return how many objects there are of a kind."""
        return int((self.kinds == kind).sum())

    def times_of(self, kind: Kind) -> tuple[Ids, NDArray[np.int64]]:
        """Return the ids of all objects of a kind, sorted, and their times."""
        ids = self.of_kind(kind)
        return ids, self.times[ids]

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true, sorted."""
        present = (self.kinds != Kind.ABSENT) & ((self.flags & int(flag)) != 0)
        return np.flatnonzero(present).astype(np.int32)

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects below a container, at any depth, sorted."""
        top = fold_dn(dn)
        return np.array([i for i, name in enumerate(self.dns) if is_below(fold_dn(name), top)], np.int32)

    def holding_other_than(self, kind: Kind) -> frozenset[str]:
        """Return the folded names of the containers that hold an object of any other kind, not deeper down."""
        rows = zip(self.kinds.tolist(), self.dns, strict=True)
        return frozenset(fold_dn(parent_dn(dn)) for of, dn in rows if of not in (Kind.ABSENT, kind))

    def foreign_names(self) -> Mapping[str, ForeignName]:
        """Return nothing: what was just read has not been asked about."""
        return {}

    def with_detail(self, key: str) -> Ids:
        """Return the ids of all objects that have such a detail, sorted."""
        return np.array([i for i, text in enumerate(self.details) if f'"{key}"' in text], np.int32)

    def descriptors(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the security descriptors of objects; those that came without one are left out."""
        rows = {int(i): int(self.descriptors_of[int(i)]) for i in ids}
        return {i: self.descriptor_bytes[row] for i, row in rows.items() if row >= 0}

    def descriptor_uses(self) -> Iterator[DescriptorUse]:
        """Yield each distinct security descriptor and kind of object together."""
        for row, raw in enumerate(self.descriptor_bytes):
            users = np.flatnonzero(self.descriptors_of == row)
            for kind in np.unique(self.kinds[users]).tolist():
                ids: list[int] = users[self.kinds[users] == kind].tolist()
                yield DescriptorUse(raw, Kind(kind), partial(list, ids))

    @cached_property
    def _id_by_sid(self) -> dict[str, int]:
        return {self.sid(int(i)): int(i) for i in np.flatnonzero(self.authorities >= 0)}

    @cached_property
    def _id_by_dn(self) -> dict[str, int]:
        return {fold_dn(dn): i for i, dn in enumerate(self.dns) if dn}

    @cached_property
    def _ids_by_name(self) -> dict[str, list[int]]:
        found: dict[str, list[int]] = {}
        for i, name in enumerate(self.names):
            if name:
                found.setdefault(name.casefold(), []).append(i)
        return found

    @property
    def nbytes(self) -> int:
        """Memory of the columns, in bytes."""
        arrays = (
            self.kinds,
            self.flags,
            self.primary_group_rids,
            self.times,
            self.authorities,
            self.rids,
            self.descriptors_of,
        )
        texts = (self.keys, self.names, self.dns, self.details)
        return sum(a.nbytes for a in arrays) + sum(t.nbytes for t in texts)


def _upn(details: str) -> str:
    return str(json.loads(details).get("user_principal_name", "")).casefold()


def outsider(sid: Sid) -> Principal:
    """Return what can be said of a SID that belongs to no object of the directory."""
    known = well_known_name(sid)
    if known:
        return Principal(-1, Kind.WELL_KNOWN, known, rf"well-known\{known}", WELL_KNOWN[known], "")
    built_in = built_in_group_name(sid)
    if built_in:
        return Principal(-1, Kind.WELL_KNOWN, built_in, rf"BUILTIN\{built_in}", sid, "")
    return Principal(-1, Kind.UNRESOLVED, str(sid), str(sid), sid, "")
