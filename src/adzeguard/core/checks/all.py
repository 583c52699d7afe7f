"""Every check, run."""

from collections.abc import Mapping, Sequence
from collections.abc import Set as AbstractSet

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding, worst_first
from adzeguard.core.checks.table import CHECKS
from adzeguard.core.checks.waivers import LEFT, left_finding
from adzeguard.core.time.question import left_as_it_is


def all_findings(
    looked_at: CheckInput, checks: Sequence[Check] = CHECKS, known: Sequence[Check] = CHECKS
) -> list[Finding]:
    """Run every check and return what they find, worst first. Checks that one function finds are looked for once.

    What was left as it is until a date stands among them for knowing alone. `known` are all checks there are, also
    those that are off: a finding of any other is an error of the program, and never lost, so `LookupError`.
    """
    off = {check.id for check in known} - {check.id for check in checks}
    severities = {check.id: check.severity for check in checks}
    finders = dict.fromkeys(check.find for check in checks)
    left = left_as_it_is(looked_at.waivers, looked_at.moment)
    findings = (finding for find in finders for finding in find(looked_at) if _is_on(finding, severities, off))
    if left and LEFT in severities:
        findings = (left_finding(f, left[f.fingerprint]) if f.fingerprint in left else f for f in findings)
    return worst_first([f.graded(severities[f.check]) for f in findings])


def _is_on(finding: Finding, severities: Mapping[str, Severity], off: AbstractSet[str]) -> bool:
    if finding.check in severities:
        return True
    if finding.check not in off:
        raise LookupError(f"no check has the row '{finding.check}'")
    return False
