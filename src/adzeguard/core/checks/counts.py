"""How many findings there are."""

from collections import Counter
from collections.abc import Iterable

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.finding import Finding


def counts_of(findings: Iterable[Finding]) -> dict[str, int]:
    """Return how many findings there are of each severity, the worst first."""
    counts = Counter(finding.severity for finding in findings)
    return {severity.label: counts[severity] for severity in sorted(Severity, reverse=True) if counts[severity]}


def by_check(findings: Iterable[Finding]) -> dict[str, int]:
    """Return how many findings there are of each check that matter, without those for knowing alone."""
    return dict(sorted(Counter(one.check for one in findings if one.severity > Severity.NOTE).items()))


def mendable(findings: Iterable[Finding]) -> int:
    """Return how many of them a proposal would put right: those of rules that mend."""
    return sum(one.response == "mend" and one.severity > Severity.NOTE for one in findings)
