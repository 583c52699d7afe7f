"""What staleness is looked for in, and one stale thing."""

from collections.abc import Iterable, Sequence
from dataclasses import field
from datetime import datetime
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.shares import Shared
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.cleaning.thresholds import Thresholds
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.question import Waiver
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import GROUPS_OF_THE_NAME_SERVICE, MADE_BY_STAFF


class Stale(NamedTuple):
    """One stale thing: what it is, of which sort its staleness is, why, and since when, where that is known.

    There are tens of thousands of them in a large directory, so that it is of the kind that is quickest to make.
    `about` is the object of the directory that it is; other things, such as a rule, have `name` and `dn` alone.
    """

    sort: str
    why: str
    name: str
    since: datetime | None = None
    dn: str = ""
    sid: str = ""
    about: Principal | None = None

    @classmethod
    def of(cls, about: Principal, sort: str, why: str, since: datetime | None = None) -> "Stale":
        """Make one of an object of the directory."""
        return cls(sort, why, about.qualified_name, since, about.dn, str(about.sid or ""), about)


@dataclass(frozen=True)
class StaleInput:
    """Where staleness is looked for, and from when on something is stale. `built_in` takes in what is born with it."""

    rights: Rights
    charter: ResolvedCharter | None
    privileged: Sequence[Principal]
    leases: Sequence[Lease]
    waivers: Sequence[Waiver]
    fingerprints: frozenset[str] | None
    """Of what a check finds now, where that was asked for."""
    now: datetime
    thresholds: Thresholds
    built_in: bool = False
    shared: Shared = field(default_factory=Shared)
    """The file shares, among them that of the domain's policies where it was read."""

    @property
    def estate(self) -> Estate:
        """The estate."""
        return self.rights.estate

    @cached_property
    def is_enabled(self) -> NDArray[np.bool_]:
        """By ids, whether an account can be used."""
        flags = np.zeros(self.estate.graph.size, bool)
        flags[self.estate.catalogue.flagged(Flag.ENABLED)] = True
        return flags

    @cached_property
    def inside_privileged(self) -> frozenset[int]:
        """The ids of all that are inside a privileged group, by any nesting."""
        members = (self.estate.graph.expand(group.id).members.tolist() for group in self.privileged)
        return frozenset(member for some in members for member in some)

    def objects(self, ids: Iterable[int]) -> list[Principal]:
        """Return objects, those of the domain's own left out where nobody asks for them."""
        found = self.estate.catalogue.principals(ids).values()
        return [one for one in found if self.built_in or not is_born(one)]


def is_born(one: Principal) -> bool:
    """Tell whether every domain is born with it."""
    if int(one.flags) & _BORN:
        return True
    if one.kind == Kind.GROUP and one.name.casefold() in GROUPS_OF_THE_NAME_SERVICE:
        return True
    return one.kind in _WITH_SID and (one.sid is None or one.sid.rid < MADE_BY_STAFF)


_BORN = int(Flag.CRITICAL | Flag.BUILTIN)
_WITH_SID = (Kind.USER, Kind.GROUP, Kind.COMPUTER, Kind.SERVICE)
