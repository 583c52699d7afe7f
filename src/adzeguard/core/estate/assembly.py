"""From objects as they were seen, one by one, to columns and a membership graph."""

from collections.abc import Iterable, Mapping, Sequence

from adzeguard.core.errors import DirectoryError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.objects import Objects
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import ObjectRow, Observed
from adzeguard.core.identity import OF_A_DOMAIN, fold_dn
from adzeguard.core.values import dataclass

_STRANGERS_KEPT = 10_000


@dataclass(frozen=True)
class Assembled:
    """A whole directory. `strangers` are names that groups list, of other domains or classes: the first few of them."""

    objects: Objects
    graph: MembershipGraph
    strangers: tuple[str, ...] = ()
    more_strangers: int = 0


def assemble(domain: Domain, observed: Sequence[Observed], ids: Sequence[int]) -> Assembled:
    """Put each object in the row of its id and join the groups with their members.

    `DirectoryError` where two objects have one SID.
    """
    size = max(ids, default=-1) + 1
    rows: list[ObjectRow | None] = [None] * size
    by_dn: dict[str, int] = {}
    by_sid: dict[str, int] = {}
    for seen, object_id in zip(observed, ids, strict=True):
        rows[object_id] = seen.row
        by_dn[fold_dn(seen.row.dn)] = object_id
        if seen.row.sid:
            other = by_sid.setdefault(seen.row.sid, object_id)
            if other != object_id and not _is_the_same_for_all(seen.row, rows[other]):
                raise _same_sid(seen.row, rows[other])
    strangers = _Strangers()
    members = {i: _ids(seen.members, by_dn, strangers) for seen, i in zip(observed, ids, strict=True) if seen.members}
    security = {
        i: bool(seen.row.flags & Flag.SECURITY_GROUP) for seen, i in zip(observed, ids, strict=True) if seen.is_group
    }
    graph = MembershipGraph.build(size, security, members, _primary_members(rows, by_sid))
    return Assembled(Objects.of_rows(rows, domain), graph, tuple(sorted(strangers.names)), strangers.more)


def _is_the_same_for_all(row: ObjectRow, other: ObjectRow | None) -> bool:
    """Tell whether both stand for the same well-known principal: the domain and the configuration have one each.

    Groups list the one or the other, by its DN (Samba 4.17 has Authenticated Users in both).
    """
    kinds = (row.kind, other.kind if other is not None else None)
    return kinds == (Kind.FOREIGN, Kind.FOREIGN) and not row.sid.startswith(OF_A_DOMAIN)


def _same_sid(row: ObjectRow, other: ObjectRow | None) -> DirectoryError:
    """Who has what cannot be said of two objects that are one by their SID: no guard would see what it is about."""
    both = f"{other.dn if other else ''} and {row.dn}"
    return DirectoryError(f"{both} have one SID, {row.sid}", "Delete the wrong one in the directory, and collect again")


class _Strangers:
    """Names that stand for nothing here: the first few, and how many more entries name others."""

    def __init__(self) -> None:
        self.names: set[str] = set()
        self.more = 0

    def add(self, name: str) -> None:
        """Keep one, or count it."""
        if name in self.names:
            return
        if len(self.names) < _STRANGERS_KEPT:
            self.names.add(name)
        else:
            self.more += 1


def _ids(names: Iterable[str], by_dn: Mapping[str, int], strangers: _Strangers) -> list[int]:
    found = []
    for name in names:
        object_id = by_dn.get(fold_dn(name))
        if object_id is None:
            strangers.add(name)
        else:
            found.append(object_id)
    return found


def _primary_members(rows: Sequence[ObjectRow | None], by_sid: Mapping[str, int]) -> dict[int, list[int]]:
    """The primary group of an account stands in the same domain, and is named by its relative identifier."""
    primary: dict[int, list[int]] = {}
    for object_id, row in enumerate(rows):
        if row is not None and row.primary_group_rid and row.sid:
            group = by_sid.get(f"{row.sid.rpartition('-')[0]}-{row.primary_group_rid}")
            if group is not None:
                primary.setdefault(group, []).append(object_id)
    return primary
