"""The note of a thing that is put away until it is deleted: what it was, and where."""

from datetime import datetime

from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Link:
    """A container's links to directory policies before and after one was taken out."""

    dn: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Retired:
    """One thing that is put away: where it was, where it lies `now`, the SIDs of the groups it was taken out of."""

    name: str
    sid: str
    dn: str
    now: str
    kind: str
    enabled: bool
    groups: tuple[str, ...]
    links: tuple[Link, ...]
    at: datetime
    until: datetime
    by: str
    why: str

    @property
    def id(self) -> str:
        """By what it is known: the SID of the thing, or of what has none, where it lies."""
        return self.sid or fold_dn(self.now)
