"""Plan: from the charter and the estate to changes, with their impact."""

from collections.abc import Collection, Sequence
from datetime import datetime
from itertools import chain

from adzeguard.core.change.build import draft_plan, in_order
from adzeguard.core.change.impact import impact_of
from adzeguard.core.change.plan import Change, LeftOut, Plan, members_only, objects_only
from adzeguard.core.change.withdrawal import withdrawals
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.delegations import Rights
from adzeguard.core.estate import Estate
from adzeguard.core.object_review import object_deviations, object_withdrawals
from adzeguard.core.review import review_groups, review_hosts


def make_plan(
    rights: Rights,
    charter: ResolvedCharter,
    standing: Sequence[Change],
    *,
    collection: int,
    now: datetime,
    operator: str,
    also: Collection[str] = (),
) -> Plan:
    """Compute the plan.

    `standing` is what rules have put in; `also` are rules to put right although they only alert.
    """
    estate = rights.estate
    reviews = list(chain(review_groups(estate, charter), review_hosts(estate, charter)))
    draft = draft_plan(estate, reviews, also)
    objects = list(object_deviations(rights, charter))
    wanted = [c for d in objects if d.response == "correct" or d.rule.id in also for c in d.changes]
    withdrawn = [*withdrawals(estate, charter, members_only(standing))]
    withdrawn_objects = object_withdrawals(rights, charter, objects_only(standing))
    changes = in_order([*draft.changes, *wanted, *withdrawn, *withdrawn_objects])
    stopped = tuple(
        LeftOut(subject=f"rule {p.rule.id}", member=p.name, rule=p.rule.id, reason=f"{p.where}: {p.message}")
        for p in charter.problems
    )
    conflicts = tuple(
        LeftOut(
            subject=review.name,
            member="",
            rule=conflict.rules[0].id,
            reason=f"the rules contradict each other: {conflict.message}",
        )
        for review in reviews
        for conflict in review.demand.conflicts
    )
    left_out = (*draft.left_out, *stopped, *conflicts)
    return whole_plan(estate, changes, left_out, collection=collection, now=now, operator=operator)


def whole_plan(
    estate: Estate,
    changes: Sequence[Change],
    left_out: Sequence[LeftOut] = (),
    notes: Sequence[str] = (),
    *,
    collection: int,
    now: datetime,
    operator: str,
) -> Plan:
    """Return changes as a plan, with what they come to."""
    return Plan(
        made_at=now,
        made_by=operator,
        collection=collection,
        domain_sid=estate.domain.sid,
        changes=tuple(changes),
        left_out=tuple(left_out),
        notes=tuple(notes),
        impact=impact_of(estate, changes),
    )
