"""By hand: from what somebody asks for to a plan."""

from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.change.by_hand import Pair, memberships_by_hand
from adzeguard.core.change.plan import Plan
from adzeguard.core.estate import Estate
from adzeguard.workflows.plan import whole_plan


def memberships_plan(
    estate: Estate,
    *,
    joins: Iterable[Pair] = (),
    leaves: Iterable[Pair] = (),
    why: str,
    collection: int,
    now: datetime,
    operator: str,
) -> Plan:
    """Return the plan that puts members in and takes members out."""
    changes, left_out = memberships_by_hand(estate, joins, leaves, why)
    return whole_plan(estate, changes, left_out, collection=collection, now=now, operator=operator)
