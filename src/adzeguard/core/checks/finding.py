"""A finding: one deviation, with its evidence."""

from collections.abc import Mapping
from dataclasses import field
from typing import Any

from adzeguard.core.check_row import Severity
from adzeguard.core.estate.named import Named, fingerprint_of
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Finding:
    """One deviation from a rule, or one thing that a built-in check holds to be wrong.

    `check` is its row in the table of checks, which gives the severity. `subject` is the group, host or object that it
    is about, `host` the host of a local group, `member` whom it names.
    """

    check: str
    subject: Named
    message: str
    member: Named | None = None
    host: Named | None = None
    rule: str = ""
    owner: str = ""
    response: str = ""
    evidence: Mapping[str, Any] = field(default_factory=dict, hash=False)
    severity: Severity = Severity.NOTE

    def graded(self, severity: Severity) -> "Finding":
        """Return it with how much it matters. Written out: a fleet has tens of thousands of them."""
        return Finding(
            self.check,
            self.subject,
            self.message,
            self.member,
            self.host,
            self.rule,
            self.owner,
            self.response,
            self.evidence,
            severity,
        )

    @property
    def member_name(self) -> str:
        """Whom it names, empty where it names nobody."""
        return self.member.name if self.member else ""

    @property
    def fingerprint(self) -> str:
        """The same for the same deviation on every day, and after any renaming: it is made from identities alone."""
        return fingerprint_of(self.check, self.rule, self.host, self.subject, self.member)


def worst_first(findings: list[Finding]) -> list[Finding]:
    """Sort for reading: severity, then what it is about."""
    return sorted(
        findings, key=lambda f: (-f.severity, f.subject.name.casefold(), f.member_name.casefold(), f.rule, f.check)
    )
