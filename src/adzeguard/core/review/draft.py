"""From corrections to a draft: what is to be mended, and what is left out and why."""

from collections.abc import Collection, Iterable, Iterator, Mapping

from adzeguard.core.change.change import Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.proposal import LeftOut
from adzeguard.core.review.correction import Correction
from adzeguard.core.time.question import Waiver


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


def without_left(corrections: Iterable[Correction], left: Mapping[str, Waiver]) -> Iterator[Correction]:
    """Yield corrections; what was left as it is has no changes until its time, and says so."""
    for correction in corrections:
        waiver = left.get(correction.fingerprint) if left else None
        yield correction if waiver is None else correction.without_changes(waiver.in_words())


def draft_for(corrections: Iterable[Correction], fingerprints: Collection[str]) -> Draft:
    """Return what puts right just these deviations, regardless of the responses of their rules."""
    meant = [one for one in corrections if one.fingerprint in fingerprints]
    left_out = tuple(_left_out(one) for one in meant if one.left_out)
    return Draft(tuple(change for one in meant for change in one.changes), left_out)


def _left_out(correction: Correction) -> LeftOut:
    member = correction.member.name if correction.member else ""
    return LeftOut(subject=correction.subject.name, member=member, rule=correction.rule, reason=correction.left_out)
