"""By hand: from what somebody asks for to a proposal."""

from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.change.by_hand.members import Pair, memberships_by_hand
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.estate.estate import Estate
from adzeguard.workflows.propose import whole_proposal


def memberships_proposal(
    estate: Estate,
    *,
    joins: Iterable[Pair] = (),
    leaves: Iterable[Pair] = (),
    why: str,
    collection: int,
    now: datetime,
    operator: str,
) -> Proposal:
    """Return the proposal that puts members in and takes members out."""
    changes, left_out = memberships_by_hand(estate, joins, leaves, why)
    return whole_proposal(estate, changes, left_out, collection=collection, now=now, operator=operator)
