"""The domain, and what can be looked up in it."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.foreign import ForeignName
from adzeguard.core.estate.links import Ids
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import OF_A_DOMAIN, Sid, fold_dn
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import BUILTIN_AUTHORITY


@dataclass(frozen=True, slots=True)
class Domain:
    """The domain that the directory serves: the first one, where it is several."""

    base_dn: str
    dns_name: str
    short_name: str
    sid: Sid
    others: tuple["Domain", ...] = ()
    """The domains that stand beside the first one, in the order of the settings."""
    builtin: str = BUILTIN_AUTHORITY
    """Under what the groups stand that every domain has: in each domain they are others, and bear the same SIDs."""

    @property
    def all(self) -> tuple["Domain", ...]:
        """The domain, and those beside it."""
        return (self, *self.others)

    def beside(self) -> "Domain":
        """Return the domain as one beside a first one: the groups that every domain has get SIDs of their own."""
        return replace(self, builtin=f"{BUILTIN_AUTHORITY}-{self.sid.removeprefix(OF_A_DOMAIN)}")

    def account(self, rid: int) -> Sid:
        """Return the SID of an account or group of the domain itself."""
        return Sid(f"{self.sid}-{rid}")

    def accounts(self, *rids: int) -> list[Sid]:
        """Return the SIDs of those accounts or groups in each of the domains."""
        return [domain.account(rid) for domain in self.all for rid in rids]

    def built_in(self, rid: int) -> list[Sid]:
        """Return the SIDs of a group that every domain has, in each of the domains."""
        return [Sid(f"{domain.builtin}-{rid}") for domain in self.all]

    def of_sid(self, sid: str) -> "Domain | None":
        """Return which of the domains gave a SID out, or has it itself; None for one of no domain, or of another."""
        either = (sid.rpartition("-")[0], sid)
        return next((one for one in self.all if one.sid in either or one.builtin in either), None)

    def holding(self, dn: str) -> "Domain":
        """Return the domain in which a distinguished name stands: the first one where it stands in none."""
        if not self.others:
            return self
        folded = fold_dn(dn)
        # A domain below another one has the longer name.
        inside = [one for one in self.all if f",{folded}".endswith(f",{fold_dn(one.base_dn)}")]
        return max(inside, key=lambda one: len(one.base_dn), default=self)

    def called(self, name: str) -> "Domain | None":
        """Return the domain of this short or DNS name, whatever its letter case."""
        wanted = name.casefold()
        return next((one for one in self.all if wanted in (one.short_name.casefold(), one.dns_name.casefold())), None)

    def full_dn(self, dn: str) -> str:
        """Complete a distinguished name that leaves the base away: that of the first domain."""
        folded = dn.casefold()
        ends = any(folded.endswith(one.base_dn.casefold()) for one in self.all)
        return dn if ends else f"{dn},{self.base_dn}"


@dataclass(frozen=True, slots=True)
class DomainRead:
    """One of several domains as it was read: its name in the settings, by which server, and up to which change."""

    name: str
    domain: Domain
    invocation_id: str = ""
    highest_usn: int = 0


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
