"""Groups that a roster names and that do not exist."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.roster_rule import AbsentGroup, RosterRule, resolve_roster
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate.named import Named
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights


def review_absent_groups(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each group that is to be made."""
    estate = rights.estate
    for absent in charter.of(AbsentGroup):
        # Ten modules, which a charter without such a group does without.
        from adzeguard.core.change.by_hand.groups import created_group

        rule = absent.rule
        subject = Named(rf"{estate.domain.holding(absent.container.dn).short_name}\{absent.name}", made=True)
        message = f"{rule.place.at()} names the group, which does not exist"
        correction = correction_of(absent, "missing-group", subject, message)
        try:
            changes = created_group(
                estate,
                absent.name,
                absent.container,
                scope=absent.scope,
                members=absent.members,
                rule=rule.id,
                why=rule.why,
            )
            yield correction.with_changes(changes)
        except (GuardError, UsageError) as error:
            yield correction.without_changes(error.message)


ROSTER: Final = RuleKind("roster", RosterRule, resolve_roster, review_absent_groups)
