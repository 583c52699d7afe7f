"""Rows of the table of checks: names that are taken for others."""

from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.names import check_names

NAME_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "lookalike-name",
        "A name looks like another one",
        "Who reads it takes it for the other, and gives it what the other should have.",
        "See both: adzeguard show NAME; rename it, or delete what nobody needs",
        Severity.HIGH,
        check_names,
        evidence=("looks_like", "sid"),
    ),
    Check(
        "odd-letters",
        "A name has letters of another script, or signs that nobody sees",
        "It is not the name that it looks like, and cannot be typed as it looks.",
        "Rename it in letters of one script",
        Severity.LOW,
        check_names,
    ),
)
