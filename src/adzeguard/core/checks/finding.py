"""A finding: one deviation, with its evidence."""

from dataclasses import dataclass, field
from enum import IntEnum
from hashlib import blake2b
from typing import Any


class Severity(IntEnum):
    """How much a finding matters; `NOTE` is for knowing, not for doing."""

    NOTE = 0
    LOW = 1
    MEDIUM = 2
    HIGH = 3
    CRITICAL = 4

    @property
    def label(self) -> str:
        """The word for people."""
        return self.name.lower()


@dataclass(frozen=True, slots=True)
class Finding:
    """One deviation from a rule, or one thing that a built-in check holds to be wrong.

    `subject` is the group or host it is about, `member` whom it names (may be empty).
    """

    check: str
    severity: Severity
    subject: str
    member: str
    message: str
    rule: str = ""
    owner: str = ""
    response: str = ""
    evidence: dict[str, Any] = field(default_factory=dict, hash=False)

    @property
    def fingerprint(self) -> str:
        """The same for the same deviation on every day: it leaves out times, counts and wording."""
        parts = (self.check, self.rule, self.subject.casefold(), self.member.casefold())
        return blake2b("\0".join(parts).encode("utf-8", "surrogateescape"), digest_size=8).hexdigest()


def worst_first(findings: list[Finding]) -> list[Finding]:
    """Sort for reading: severity, then what it is about."""
    return sorted(findings, key=lambda f: (-f.severity, f.subject.casefold(), f.member.casefold(), f.rule, f.check))
