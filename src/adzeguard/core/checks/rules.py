"""Findings that come from the rules of the charter: every correction is one."""

from collections.abc import Iterator

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.leased import less_leased


def deviations_from_rules(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield a finding for each correction."""
    found = corrections(looked_at.rights, looked_at.charter, looked_at.put_in)
    for correction in less_leased(found, looked_at.leases):
        yield Finding(
            correction.check,
            correction.subject,
            f"the rule is not followed: {correction.message}"
            if correction.check == "unresolved-name"
            else correction.message,
            member=correction.member,
            host=correction.host,
            rule=correction.rule,
            owner=correction.owner,
            response="" if correction.stops_rule else correction.response,
            evidence=correction.evidence
            if "place" in correction.evidence or not correction.place
            else {"place": correction.place, **correction.evidence},
        )
