"""Every check, run."""

from collections.abc import Sequence
from dataclasses import replace

from adzeguard.core.checks.check import Check
from adzeguard.core.checks.finding import Finding, worst_first
from adzeguard.core.checks.looked_at import LookedAt
from adzeguard.core.checks.table import CHECKS


def all_findings(looked_at: LookedAt, checks: Sequence[Check] = CHECKS) -> list[Finding]:
    """Run every check and return what they find, worst first. Checks that one function finds are looked for once."""
    severities = {check.id: check.severity for check in checks}
    finders = dict.fromkeys(check.find for check in checks)
    findings = (finding for find in finders for finding in find(looked_at))
    return worst_first([replace(f, severity=severities[f.check]) for f in findings if f.check in severities])
