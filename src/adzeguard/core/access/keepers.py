"""Keepers: those whom no change may lock out."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.at_work import Values, can_act
from adzeguard.core.access.members import people_in_any
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import (
    RID_ADMINISTRATOR,
    RID_DOMAIN_ADMINS,
    RID_ENTERPRISE_ADMINS,
    RID_OF_ADMINISTRATORS,
)


def default_keepers(estate: Estate) -> list[Principal]:
    """Return the account with RID 500 and the directory's own administrators group, of each domain."""
    sids = estate.domain.accounts(RID_ADMINISTRATOR, RID_DOMAIN_ADMINS)
    ids = estate.ids_of_sids(sids)
    return list(estate.catalogue.principals(i for sid in sids if (i := ids[sid]) is not None).values())


def controlling_groups(estate: Estate) -> list[int]:
    """Return the ids of the groups that control the directory itself."""
    domain = estate.domain
    sids = [*domain.built_in(RID_OF_ADMINISTRATORS), *domain.accounts(RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS)]
    ids = estate.ids_of_sids(sids)
    return [group for sid in sids if (group := ids[sid]) is not None]


class KeepersAtWork:
    """The people through whom the keepers can act: accounts at work that are keepers or inside a keeper group.

    Where one of them is effectively inside a group, that group has a keeper with a working path.
    """

    def __init__(
        self,
        estate: Estate,
        keepers: Sequence[Principal],
        now: datetime,
        graph: MembershipGraph | None = None,
        gone: Iterable[int] = (),
        altered: Mapping[int, Values] | None = None,
    ) -> None:
        """`graph` is the membership to look at, as it will be after a proposal; `gone` are objects deleted by then.

        Somebody who is inside a group by their primary group is in no list of members, and gone all the same. `altered`
        is what attributes of accounts will hold.
        """
        self._gone = list(gone)
        self._now = now
        self._altered = altered or {}
        self._estate = estate
        self._graph = graph or estate.graph
        self._at_work = self._people_at_work(keepers)
        self._holding = self._graph.groups_holding(self._at_work)
        self._known: dict[int, bool] = {}

    def _people_at_work(self, keepers: Sequence[Principal]) -> NDArray[np.bool_]:
        groups = [keeper.id for keeper in keepers if keeper.kind == Kind.GROUP]
        people = {keeper.id: keeper for keeper in keepers if keeper.kind == Kind.USER}
        inside = np.flatnonzero(people_in_any(self._graph, groups))
        people |= self._estate.catalogue.principals(inside.tolist())
        at_work = np.zeros(self._graph.size, bool)
        catalogue, altered = self._estate.catalogue, self._altered
        at_work[[i for i, p in people.items() if can_act(p, self._now, catalogue, altered.get(i))]] = True
        at_work[self._gone] = False
        return at_work

    @property
    def people(self) -> NDArray[np.bool_]:
        """For each id whether it is such an account."""
        return self._at_work

    @property
    def leading(self) -> NDArray[np.bool_]:
        """For each id whether it is such an account, or a group that one is effectively inside."""
        leading = self._at_work.copy()
        leading[self._graph.group_ids] = self._holding
        return leading

    def among(self, members: Iterable[Sid]) -> bool:
        """Tell whether one of them is effectively inside a local group with these direct members."""
        ids = self._estate.ids_of_sids(members)
        return self.inside(frozenset(i for sid in members if (i := ids[sid]) is not None))

    def inside(self, ids: frozenset[int]) -> bool:
        """Tell whether one of them is among these objects or inside a group among them."""
        return any(self._reached(i) for i in ids)

    def _reached(self, object_id: int) -> bool:
        # Thousands of hosts name the same few groups.
        if object_id not in self._known:
            position = self._graph.position_of(object_id)
            reached = self._at_work[object_id] if position is None else self._holding[position]
            self._known[object_id] = bool(reached)
        return self._known[object_id]
