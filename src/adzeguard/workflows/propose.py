"""Proposal: from the charter and the estate to changes, with their impact."""

from collections.abc import Collection, Sequence
from datetime import datetime
from itertools import chain

from adzeguard.core.change.changes import Change, members_only, objects_only
from adzeguard.core.change.correct import draft_proposal
from adzeguard.core.change.impact import impact_of
from adzeguard.core.change.order import in_order
from adzeguard.core.change.proposal import LeftOut, Proposal
from adzeguard.core.change.withdrawal import object_withdrawals, withdrawals
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.object_review import object_deviations
from adzeguard.core.review.members import review_groups, review_hosts
from adzeguard.core.rights.delegations import Rights


def make_proposal(
    rights: Rights,
    charter: ResolvedCharter,
    standing: Sequence[Change],
    *,
    collection: int,
    now: datetime,
    operator: str,
    also: Collection[str] = (),
) -> Proposal:
    """Compute the proposal.

    `standing` is what rules have put in; `also` are rules to put right although they only tell.
    """
    estate = rights.estate
    reviews = list(chain(review_groups(estate, charter), review_hosts(estate, charter)))
    draft = draft_proposal(estate, reviews, also)
    objects = list(object_deviations(rights, charter))
    wanted = [c for d in objects if d.response == "mend" or d.rule.id in also for c in d.changes]
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
    return whole_proposal(estate, changes, left_out, collection=collection, now=now, operator=operator)


def whole_proposal(
    estate: Estate,
    changes: Sequence[Change],
    left_out: Sequence[LeftOut] = (),
    notes: Sequence[str] = (),
    *,
    collection: int,
    now: datetime,
    operator: str,
) -> Proposal:
    """Return changes as a proposal, with what they come to."""
    return Proposal(
        made_at=now,
        made_by=operator,
        collection=collection,
        domain_sid=estate.domain.sid,
        changes=tuple(changes),
        left_out=tuple(left_out),
        notes=tuple(notes),
        impact=impact_of(estate, changes),
    )
