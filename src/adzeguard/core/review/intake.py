"""Users and computers that land elsewhere than a rule says."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.change.by_hand.intake import intake_changes
from adzeguard.core.charter.intake_rule import IntakeRule, ResolvedIntake, resolve_intake
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import GuardError
from adzeguard.core.estate.intake_places import intake_places
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights


def review_intake(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each kind of new object that lands elsewhere."""
    estate = rights.estate
    for intake in charter.of(ResolvedIntake):
        rule, places = intake.rule, intake_places(estate)
        for what, container in intake.containers.items():
            subject = Named(f"new {what}")
            wanted = short_dn(estate, container.dn)
            try:
                changes = intake_changes(estate, {what: container}, why=rule.why, rule=rule.id, leaves=rule.leave)
            except GuardError as error:
                message = f"they cannot be made to land in {wanted}"
                yield correction_of(intake, "intake-elsewhere", subject, message, left_out=error.message)
                continue
            if changes:
                message = f"they land in {short_dn(estate, places[what].dn)} instead of {wanted}"
                yield correction_of(intake, "intake-elsewhere", subject, message, changes=tuple(changes))


INTAKE: Final = RuleKind("intake", IntakeRule, resolve_intake, review_intake)
