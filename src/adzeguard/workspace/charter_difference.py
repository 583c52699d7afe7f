"""Two versions of the charter against the same estate: which rules differ, and what would follow."""

from dataclasses import replace
from typing import TYPE_CHECKING

from adzeguard.core.change.draft import Draft
from adzeguard.core.change.proposal import Impact
from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.difference import RuleDifference, rule_differences
from adzeguard.core.errors import GuardError
from adzeguard.core.review.charter_effect import CharterEffect, charter_effect
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.draft import without_left
from adzeguard.core.time.question import left_as_it_is
from adzeguard.core.values import dataclass
from adzeguard.store.questions import Waivers
from adzeguard.workflows.propose import proposed, with_words_and_impact

if TYPE_CHECKING:
    from adzeguard.core.charter.resolve import ResolvedCharter
    from adzeguard.workspace.open_workspace import Workspace


@dataclass(frozen=True, slots=True)
class CharterDifference:
    """`refusals` are what guards would say to the changes that follow, `sizes` what must be named to enact them."""

    rules: tuple[RuleDifference, ...]
    effect: CharterEffect
    impact: Impact
    refusals: tuple[str, ...]
    sizes: tuple[str, ...]

    @property
    def changes_anything(self) -> bool:
        """Whether anything is found or changed that was not, or is not any more."""
        effect = self.effect
        return any((self.rules, effect.found, effect.no_longer_found, effect.made, effect.no_longer_made))


def charter_difference(workspace: "Workspace", old: Charter, new: Charter) -> CharterDifference:
    """Compare two charters, and what each finds and changes in what was collected last."""
    with workspace.in_one_moment():
        before, now = (workspace.resolved(one) for one in (old, new))
        effect = charter_effect(_found(workspace, old, before), _found(workspace, new, now))
        draft, proposer = Draft.of(effect.made), replace(workspace.proposer, charter=lambda: now)
        refusals: tuple[str, ...] = ()
        sizes: tuple[str, ...] = ()
        try:
            sizes = tuple(proposed(draft, proposer).past_limits)
        except GuardError as error:
            refusals = tuple(error.refusals)
        impact = with_words_and_impact(draft, proposer).impact
    return CharterDifference(tuple(rule_differences(old, new)), effect, impact, refusals, sizes)


def _found(workspace: "Workspace", written: Charter, charter: "ResolvedCharter") -> list[Correction]:
    left = left_as_it_is(Waivers(workspace.database).all(), workspace.now())
    rights = workspace.rights_of(workspace.estate, written)
    return list(without_left(workspace.corrections_by(rights, charter), left))
