"""From corrections to a draft: what is to be mended, and what is left out and why."""

from collections.abc import Collection, Iterable

from adzeguard.core.change.change import Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.proposal import LeftOut
from adzeguard.core.review.correction import Correction


def draft_of(corrections: Iterable[Correction], also: Collection[str] = ()) -> Draft:
    """Return the changes of what is to be mended; `also` are ids of rules to follow although they only tell."""
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    for correction in corrections:
        meant = correction.is_to_be_mended(also)
        if meant:
            changes += correction.changes
        if correction.left_out and (meant or correction.stops_rule):
            left_out.append(_left_out(correction))
    return Draft(tuple(changes), tuple(left_out))


def _left_out(correction: Correction) -> LeftOut:
    member = correction.member.name if correction.member else ""
    return LeftOut(subject=correction.subject.name, member=member, rule=correction.rule, reason=correction.left_out)
