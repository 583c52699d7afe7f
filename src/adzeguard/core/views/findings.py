"""What a check found."""

from collections import Counter
from collections.abc import Iterable, Sequence

from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.views.table import Column, Noted, Table, data_columns


def findings_table(findings: Sequence[Finding]) -> Table:
    """Return the findings in their order, worst first."""
    rows = [
        {
            "severity": f.severity.label,
            "check": f.check,
            "subject": f.subject.name,
            "what": Noted(f.message, _origin(f)),
            "member": f.member_name,
            "message": f.message,
            "rule": f.rule,
            "owner": f.owner,
            "response": f.response,
            "fingerprint": f.fingerprint,
            "evidence": f.evidence,
        }
        for f in findings
    ]
    columns = (
        Column("severity", "Severity", kind="word", fixed=True),
        Column("check"),
        Column("subject", "Where"),
        Column("what", "What", kind="noted", for_people=True, wide=True),
        *data_columns("member", "message", "rule", "owner", "response", "fingerprint", "evidence"),
    )
    return Table(rows, columns, "", counted(findings), "Nothing deviates.")


def _origin(finding: Finding) -> str:
    """Where a finding comes from: the rule with its response, or the built-in check."""
    return ", ".join(part for part in (finding.rule, finding.response) if part) or finding.check


def counts_of(findings: Iterable[Finding]) -> dict[str, int]:
    """Return how many findings there are of each severity, the worst first."""
    counts = Counter(finding.severity for finding in findings)
    return {severity.label: counts[severity] for severity in sorted(Severity, reverse=True) if counts[severity]}


def counted(findings: Iterable[Finding]) -> str:
    """Return the same for people."""
    return ", ".join(f"{count} {label}" for label, count in counts_of(findings).items())
