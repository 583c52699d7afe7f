"""OUs that are to be protected against deletion, and are not."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.change.by_hand.ous import protected_object
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.protect_rule import ProtectRule, ResolvedProtection, resolve_protection
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import GuardError
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights


def review_protection(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each OU that an administrator can delete by mistake."""
    estate = rights.estate
    for protection in charter.of(ResolvedProtection):
        rule = protection.rule
        for principal in protection.objects:
            subject = Named(short_dn(estate, principal.dn), principal.sid or "", principal.dn)
            message = "an administrator can delete it by mistake, with all that lies in it"
            correction = correction_of(protection, "unprotected-object", subject, message)
            try:
                changes = protected_object(estate, principal, rule.why, rule.id)
            except GuardError as error:
                yield correction.without_changes(error.message)
                continue
            if changes:
                yield correction.with_changes(c.model_copy(update={"leaves": rule.leave}) for c in changes)


PROTECT: Final = RuleKind("protect", ProtectRule, resolve_protection, review_protection)
