"""One object as a row, and as it was seen."""

from collections.abc import Sequence
from typing import NamedTuple

from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass

NEVER = 0
"""In a column of times: not known, or never."""


class ObjectRow(NamedTuple):
    """One object as a row: what the columns and the store hold of it. Times are seconds since 1970, 0 for never."""

    key: bytes
    kind: int
    flags: int
    sid: str
    primary_group_rid: int
    name: str
    dn: str
    created: int
    last_logon: int
    password_set: int
    expires: int
    descriptor: bytes
    details: str


@dataclass(frozen=True, slots=True)
class Observed:
    """One object as it was seen: its row, and for a group the names of those it lists."""

    row: ObjectRow
    members: Sequence[str] = ()

    @property
    def is_group(self) -> bool:
        """Whether it lists members: a group, or one of another domain whose own directory was asked."""
        asked = self.row.kind == Kind.FOREIGN and bool(self.row.flags & Flag.SECURITY_GROUP)
        return self.row.kind == Kind.GROUP or asked


def object_key(guid: bytes | None, sid: str, dn: str) -> bytes:
    """Return what an object is recognised by from one collection to the next: GUID, else SID, else name."""
    return guid or (sid or fold_dn(dn)).encode()
