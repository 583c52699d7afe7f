"""Deviations that are left again and again."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.named import Named
from adzeguard.core.time.question import Waiver

LEFT: Final = "left-as-it-is"
_RENEWED_OFTEN: Final = 3


def left_finding(finding: Finding, waiver: Waiver) -> Finding:
    """Return that something is left as it is: known, and for knowing alone, until its time is over."""
    return Finding(
        LEFT,
        finding.subject,
        f"{finding.message}; {waiver.in_words()}",
        finding.member,
        finding.host,
        finding.rule,
        finding.owner,
        evidence={
            "check": finding.check,
            "waiver": waiver.id,
            "until": waiver.until.isoformat(),
            "fingerprint": finding.fingerprint,
        },
    )


def check_waivers(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each waiver that holds and was renewed so often that nobody decides on it any more."""
    for one in looked_at.waivers:
        if one.holds(looked_at.moment) and one.renewed >= _RENEWED_OFTEN:
            said = f"left as it is again, after {one.renewed} times: {one.member or one.subject} ({one.why})"
            evidence = {"waiver": one.id, "until": one.until.isoformat(), "by": one.by}
            member = Named(one.member) if one.member else None
            yield Finding("waiver-kept-alive", Named(one.subject), said, member, rule=one.rule, evidence=evidence)
