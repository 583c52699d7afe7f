"""From corrections to a draft: what is to be mended, and what is left out and why."""

from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.review.correction import Correction
from adzeguard.core.time.question import Waiver
from adzeguard.core.wording import some_of

_FOR_KNOWING: Final = frozenset(
    {"host-excepted", "keeper-not-listed", "unlisted-reach", "left-as-it-is", "renamed-in-rule"}
)
"""Checks of what no change puts right, or nobody needs put right."""


def draft_of(corrections: Iterable[Correction], also: Collection[str] = ()) -> Draft:
    """Return the changes of what is to be mended; `also` are ids of rules to follow although they only tell."""
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    told: Counter[str] = Counter()
    for correction in corrections:
        meant = correction.is_to_be_mended(also)
        if meant:
            changes += correction.changes
        if correction.left_out and (meant or correction.stops_rule):
            left_out.append(_left_out(correction))
        elif not meant and correction.check not in _FOR_KNOWING:
            told[correction.rule] += 1
    return Draft(tuple(changes), tuple(left_out), tuple(_told(told)))


def _told(by_rule: Counter[str]) -> Iterator[str]:
    """Say what deviates and is not changed, since its rule only tells: what stands is not what is wanted."""
    if by_rule:
        rules = [f"{rule} ({count})" for rule, count in by_rule.most_common()]
        first = by_rule.most_common(1)[0][0]
        said = f"{by_rule.total()} deviations are only told, of the rules {some_of(rules)}"
        yield f"{said}; put right by: adzeguard enact --also {first}"


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
