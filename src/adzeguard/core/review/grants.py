"""Rights that rules give or deny, and that do not stand."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.change.by_hand.grants import grants_given
from adzeguard.core.charter.grant_rule import GrantRule, ResolvedGrant, resolve_grant
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.duties import named_duties


def review_grants(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each grant that is missing, and each rule whose duties mean nothing over its object."""
    for grant in charter.of(ResolvedGrant):
        rule = grant.rule
        subject = Named(short_dn(rights.estate, grant.over.dn), grant.over.sid or "", grant.over.dn)
        for who in grant.to:
            try:
                changes = grants_given(
                    rights,
                    who,
                    named_duties(rights.duties, rule.grant or rule.deny, rights.schema),
                    grant.over,
                    deny=bool(rule.deny),
                    extent=rule.extent,
                    only_for=rule.only_for,
                    why=rule.why,
                    rule=rule.id,
                    leaves=rule.leave,
                )
            except (GuardError, UsageError) as error:
                message = " ".join(part for part in (error.message, error.way_out) if part)
                yield correction_of(grant, "unclear-grant", subject, message, left_out=error.message, stops_rule=True)
                continue
            for change in changes:
                message = f"the rule's grant does not stand: {change.in_words()}"
                yield correction_of(grant, "missing-grant", subject, message, member=Named.of(who), changes=(change,))


OVER: Final = RuleKind("over", GrantRule, resolve_grant, review_grants)
