"""What would follow from another charter: what is found, and what is changed, under the one and not under the other."""

from collections.abc import Iterable, Sequence

from adzeguard.core.change.change import Change
from adzeguard.core.review.correction import Correction
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class CharterEffect:
    """Deviations and changes that are only under the new charter, or only under the old one."""

    found: Sequence[Correction]
    no_longer_found: Sequence[Correction]
    made: Sequence[Change]
    """By a proposal, which the old charter would not have made."""
    no_longer_made: Sequence[Change]


def charter_effect(old: Iterable[Correction], new: Iterable[Correction]) -> CharterEffect:
    """Compare what two charters find in the same estate."""
    were = {one.fingerprint: one for one in old}
    are = {one.fingerprint: one for one in new}
    before, now = _changes(were.values()), _changes(are.values())
    return CharterEffect(
        [one for key, one in are.items() if key not in were],
        [one for key, one in were.items() if key not in are],
        [change for key, change in now.items() if key not in before],
        [change for key, change in before.items() if key not in now],
    )


def _changes(corrections: Iterable[Correction]) -> dict[tuple[str, ...], Change]:
    """Return what a proposal would change, by what is written where: under which rule makes no difference."""
    return {
        (change.kind, change.target, change.in_words()): change
        for one in corrections
        if one.is_to_be_mended()
        for change in one.changes
    }
