"""Who of the directory administers the hosts, as ids in rows: of twenty thousand hosts they can be two million."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Protocol, runtime_checkable

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.catalogue import Catalogue
from adzeguard.core.estate.links import Ids, Links
from adzeguard.core.values import dataclass

_NOBODY: Ids = np.empty(0, np.int32)


@dataclass(frozen=True, slots=True)
class Administrators:
    """A row for each host, or for all that are alike. A directory server has none: its own are the directory's."""

    rows: Mapping[int, int]
    """By the ids of hosts, which row is theirs."""
    ids: Links
    """For each row the direct members of the administrators group that the directory has."""
    everybody: NDArray[np.bool_]
    """For each row whether everybody is a member, by a principal that everybody acts as."""

    def of(self, host: int) -> Ids:
        """Return who administers a host, by the id of its account."""
        row = self.rows.get(host)
        return _NOBODY if row is None else self.ids.row(row)

    def has_everybody(self, host: int) -> bool:
        """Tell whether everybody administers a host."""
        row = self.rows.get(host)
        return row is not None and bool(self.everybody[row])

    def led_by_any(self, leading: NDArray[np.bool_], *, by_everybody: bool = False) -> NDArray[np.bool_]:
        """Return for each row whether one of its members is among some; or everybody is, where that counts."""
        led = self.everybody.copy() if by_everybody else np.zeros(self.ids.rows, bool)
        found = np.repeat(np.arange(self.ids.rows), np.diff(self.ids.starts))[leading[self.ids.targets]]
        led[found] = True
        return led


@runtime_checkable
class ToldByColumns(Protocol):
    """Hosts of which it can be had who stands in their groups, without reading their states, as far as that is kept."""

    def administrators(self, catalogue: Catalogue) -> Administrators | None:
        """Return who administers them, as ids of a catalogue; None where that cannot look up whole columns of SIDs."""

    def naming(self, sids: Iterable[str]) -> frozenset[int] | None:
        """Return the ids of the hosts whose groups list one of some who are none of their own; None: not known."""


@runtime_checkable
class LooksUpColumns(Protocol):
    """A catalogue that looks up SIDs as two columns."""

    def ids_at(self, authorities: Sequence[str], places: NDArray[np.int32], rids: NDArray[np.uint32]) -> Ids:
        """Return the id of each SID, -1 for none; `places` says which of the authorities it is of."""
