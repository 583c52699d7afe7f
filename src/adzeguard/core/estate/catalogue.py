"""The domain, and what can be looked up in it."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.foreign import ForeignName
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import Sid


@dataclass(frozen=True, slots=True)
class Domain:
    """The domain that the directory serves."""

    base_dn: str
    dns_name: str
    short_name: str
    sid: Sid

    def account(self, rid: int) -> Sid:
        """Return the SID of an account or group of the domain itself."""
        return Sid(f"{self.sid}-{rid}")

    def full_dn(self, dn: str) -> str:
        """Complete a distinguished name that leaves the base away."""
        ends = dn.casefold().endswith(self.base_dn.casefold())
        return dn if ends else f"{dn},{self.base_dn}"


@dataclass(frozen=True, slots=True)
class DescriptorUse:
    """A security descriptor, and objects of one kind that have it; there can be a million of them or one."""

    raw: bytes
    kind: Kind
    ids_of: Callable[[], list[int]]

    @property
    def ids(self) -> list[int]:
        """The ids of the objects, sorted, found when they are asked for."""
        return self.ids_of()


@runtime_checkable
class LooksAhead(Protocol):
    """A catalogue that answers many look-ups sooner when it is told of them beforehand."""

    def look_ahead(self, names: Iterable[str], dns: Iterable[str]) -> None:
        """Find what is called like one of these, or stands there, before each of them is asked for."""


class Catalogue(Protocol):
    """The objects of the directory, looked up by number, identity or name.

    Letter case never matters in a look-up. Objects that are gone are not found.
    """

    @property
    def size(self) -> int:
        """One more than the highest id."""

    def principals(self, ids: Iterable[int]) -> dict[int, Principal]:
        """Return the objects by id; an id that stands for nothing is left out."""

    def foreign_names(self) -> Mapping[str, ForeignName]:
        """Return what is known of the names of those of other domains, by SID."""

    def by_sids(self, sids: Iterable[str]) -> dict[str, int]:
        """Return the id of each SID that belongs to an object."""

    def by_dn(self, dn: str) -> int | None:
        """Return the object with this distinguished name."""

    def by_name(self, name: str) -> list[int]:
        """Return the objects with exactly this account name or, for those without one, this leaf name."""

    def by_user_principal_name(self, name: str) -> list[int]:
        """Return the objects with this user principal name, "name@domain"."""

    def containing(self, part: str, limit: int) -> list[int]:
        """Return up to `limit` objects in whose name the text stands, best first."""

    def beyond_ascii(self) -> Ids:
        """Return the ids of all objects whose name has letters that are none of ASCII, sorted."""

    def of_kind(self, kind: Kind) -> Ids:
        """Return the ids of all objects of a kind, sorted."""

    def count_of(self, kind: Kind) -> int:
        """Return how many objects there are of a kind."""

    def times_of(self, kind: Kind) -> tuple[Ids, NDArray[np.int64]]:
        """Return the ids of all objects of a kind, sorted, and their times.

        Four columns of seconds, 0 for never: when each was made, last used, its password set, and when it expires.
        """

    def flagged(self, flag: Flag) -> Ids:
        """Return the ids of all objects of which this is true, sorted."""

    def below(self, dn: str) -> Ids:
        """Return the ids of all objects below a container, at any depth, sorted."""

    def holding_other_than(self, kind: Kind) -> frozenset[str]:
        """Return the folded names of the containers that hold an object of any other kind, not deeper down."""

    def with_detail(self, key: str) -> Ids:
        """Return the ids of all objects that have one of the few details by which objects are looked up, sorted."""

    def descriptors(self, ids: Iterable[int]) -> dict[int, bytes]:
        """Return the security descriptors of objects; those that came without one are left out."""

    def descriptor_uses(self) -> Iterator[DescriptorUse]:
        """Yield each distinct security descriptor and kind of object together."""
