"""A finding: one deviation, with its evidence."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import IntEnum
from hashlib import blake2b
from typing import Any

from adzeguard.core.estate.named import Named


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

    @property
    def member_name(self) -> str:
        """Whom it names, empty where it names nobody."""
        return self.member.name if self.member else ""

    @property
    def fingerprint(self) -> str:
        """The same for the same deviation on every day, and after any renaming: it is made from identities alone."""
        named = (named.key if named else "" for named in (self.host, self.subject, self.member))
        parts = (self.check, self.rule, *named)
        return blake2b("\0".join(parts).encode("utf-8", "surrogateescape"), digest_size=8).hexdigest()


def worst_first(findings: list[Finding]) -> list[Finding]:
    """Sort for reading: severity, then what it is about."""
    return sorted(
        findings, key=lambda f: (-f.severity, f.subject.name.casefold(), f.member_name.casefold(), f.rule, f.check)
    )
