"""What a check is."""

from collections.abc import Callable, Iterable

from adzeguard.core.check_row import CheckRow, Severity
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.values import dataclass

Find = Callable[[CheckInput], Iterable[Finding]]


@dataclass(frozen=True, slots=True)
class Check:
    """One row of the table of checks.

    `matters` says why one should care, `mend` how to put it right, with the command; both are sentences. `find` yields
    its findings, and may yield those of other checks of its family too. `evidence` names what they give for programs.
    """

    id: str
    title: str
    matters: str
    mend: str
    severity: Severity
    find: Find
    evidence: tuple[str, ...] = ()

    @classmethod
    def of(cls, row: CheckRow, find: Find) -> "Check":
        """Return the check of a row, which a function finds."""
        return cls(row.id, row.title, row.matters, row.mend, row.severity, find, row.evidence)
