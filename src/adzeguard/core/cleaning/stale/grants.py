"""Rights given to what is gone, to nobody, or to who cannot use them."""

from collections.abc import Iterator

import numpy as np

from adzeguard.core.cleaning.stale.found import Stale, StaleInput, is_born
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.rights.delegations import Delegation, sorted_for_people


def stale_grants(looked: StaleInput) -> Iterator[Stale]:
    """Yield grants and denials whose holder is nothing, a group with nobody inside, or a disabled account."""
    graph = looked.estate.graph
    holding = graph.groups_listing_any(np.ones(graph.size, bool))
    for one in sorted_for_people(looked.rights.own_grants()):
        holder = one.holder
        position = graph.position_of(holder.id) if holder.kind == Kind.GROUP and holder.id >= 0 else None
        if looked.estate.resolves_to_nothing(holder):
            yield _about(one, "to-nothing", f"{one.sentence}: the holder resolves to nothing")
        elif position is not None and not holding[position] and _counts(looked, holder):
            yield _about(one, "to-nobody", f"{one.sentence}: nobody is in the group")
        elif holder.kind in ACCOUNTS and not holder.enabled:
            yield _about(one, "to-a-disabled-account", f"{one.sentence}: the account is disabled")


def _counts(looked: StaleInput, holder: Principal) -> bool:
    return looked.built_in or not is_born(holder)


def _about(one: Delegation, sort: str, why: str) -> Stale:
    return Stale(sort, why, one.holder.qualified_name, None, one.over.dn, str(one.holder.sid or ""))
