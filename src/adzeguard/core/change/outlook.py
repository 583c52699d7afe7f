"""The estate as it will be after a proposal: the membership graph and each host's administrators."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import field
from typing import overload

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.at_work import Values
from adzeguard.core.change.change import Change, Effects
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.membership import DirectChange, MembershipGraph
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass


@dataclass(frozen=True)
class Outlook:
    """What stands after a proposal."""

    graph: MembershipGraph
    changed_groups: frozenset[int]
    administrators: "AdministratorsAfter"
    """For each host of the estate, the direct members of its administrators group after the proposal."""
    gone: frozenset[int] = frozenset()
    """The objects that are deleted or disabled, however they were inside."""
    altered: Mapping[int, Values] = field(default_factory=dict)
    """By id what attributes of objects will hold."""


class AdministratorsAfter(Sequence[frozenset[Sid]]):
    """Who will be in the administrators group of each host; of most of them nothing changes, and nothing is made."""

    def __init__(self, estate: Estate, changed: Mapping[int, frozenset[Sid]]) -> None:
        """`changed` are those that will be others, by the places of their hosts."""
        self._estate = estate
        self.changed = changed

    def __len__(self) -> int:
        return len(self._estate.hosts)

    @overload
    def __getitem__(self, place: int) -> frozenset[Sid]: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[frozenset[Sid]]: ...
    def __getitem__(self, place: int | slice) -> frozenset[Sid] | Sequence[frozenset[Sid]]:
        if isinstance(place, slice):
            return [self[one] for one in range(*place.indices(len(self)))]
        if not 0 <= place < len(self):
            raise IndexError(place)
        return self.changed[place] if place in self.changed else self._estate.hosts[place].administrators

    def held_by_any(self, some: NDArray[np.bool_]) -> Callable[[int], bool]:
        """Return what tells of a host, by its place, whether one of some, who are marked by their ids, is in it."""
        estate, changed = self._estate, self.changed
        rows, led = estate.administrators.rows, estate.administrators.led_by_any(some)

        def tell(place: int) -> bool:
            row = rows.get(estate.hosts[place].id)
            if place not in changed and row is not None:
                return bool(led[row])
            ids = estate.ids_of_sids(self[place])
            return any(some[i] for sid in self[place] if (i := ids[sid]) is not None)

        return tell


def standing(estate: Estate) -> AdministratorsAfter:
    """Return who is in the administrators group of each host now."""
    return AdministratorsAfter(estate, {})


def outlook(estate: Estate, changes: Iterable[Change]) -> Outlook:
    """Compute what will stand. Names that stand for nothing any more are left out; enact will call them conflicts."""
    effects = Effects(estate)
    for change in changes:
        change.foresee(effects)
    effects.settle()
    changed = effects.gained.keys() | effects.lost.keys() | effects.security.keys()
    after = {g: DirectChange(frozenset(effects.gained[g]), frozenset(effects.lost[g])) for g in changed}
    graph = estate.graph.with_changes(after) if after else estate.graph
    graph = graph.with_security(effects.security) if effects.security else graph
    return Outlook(graph, frozenset(changed), _administrators(estate, effects), frozenset(effects.gone), effects.values)


def _administrators(estate: Estate, effects: Effects) -> AdministratorsAfter:
    changed: dict[int, frozenset[Sid]] = {}
    for name in effects.host_gained.keys() | effects.host_lost.keys():
        for place in estate.places_of_hosts.get(name, ()):
            with_more = estate.hosts[place].administrators | effects.host_gained.get(name, frozenset())
            changed[place] = with_more - effects.host_lost.get(name, frozenset())
    if effects.deleted:
        ids = estate.ids_of_sids(effects.deleted)
        some = estate.marked(i for sid in effects.deleted if (i := ids[sid]) is not None)
        naming = AdministratorsAfter(estate, changed).held_by_any(some)
        found = AdministratorsAfter(estate, dict(changed))
        changed |= {place: found[place] - effects.deleted for place in range(len(found)) if naming(place)}
    return AdministratorsAfter(estate, changed)
