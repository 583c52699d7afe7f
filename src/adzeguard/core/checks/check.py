"""What a check is."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.checks.looked_at import LookedAt


@dataclass(frozen=True, slots=True)
class Check:
    """One row of the table of checks.

    `matters` says why one should care, `mend` how to put it right, with the command; both are sentences. `find` yields
    its findings, and may yield those of other checks of its family too.
    """

    id: str
    title: str
    matters: str
    mend: str
    severity: Severity
    find: Callable[[LookedAt], Iterable[Finding]]
