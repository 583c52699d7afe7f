"""By hand: from what somebody asks for to a plan."""

from collections.abc import Iterable
from datetime import datetime

from adzeguard.core.change.by_hand import Pair, memberships_by_hand
from adzeguard.core.change.impact import impact_of
from adzeguard.core.change.plan import Plan
from adzeguard.core.estate import Estate


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
    return Plan(
        made_at=now,
        made_by=operator,
        collection=collection,
        domain_sid=estate.domain.sid,
        changes=changes,
        left_out=left_out,
        impact=impact_of(estate, changes),
    )
