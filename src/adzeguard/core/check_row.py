"""What people are told of a check: its whole row, which a kind of rule brings along as well."""

from enum import IntEnum

from adzeguard.core.values import dataclass


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
class CheckRow:
    """One check in words. `matters` says why one should care, `mend` how to put it right, with the command."""

    id: str
    title: str
    matters: str
    mend: str
    severity: Severity
    evidence: tuple[str, ...] = ()
    """The keys that its findings give beside their message, for programs; one may be missing, no other is there."""
