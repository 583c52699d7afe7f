"""Findings that come from rules about objects themselves."""

from collections.abc import Iterable, Iterator
from typing import Final

from adzeguard.core.checks.finding import Finding, Severity
from adzeguard.core.object_review import ObjectDeviation

_SEVERITY: Final = {
    "missing-group": Severity.MEDIUM,
    "unprotected-object": Severity.MEDIUM,
    "intake-elsewhere": Severity.LOW,
    "missing-grant": Severity.MEDIUM,
    "unclear-grant": Severity.HIGH,
}


def object_findings(deviations: Iterable[ObjectDeviation]) -> Iterator[Finding]:
    """Yield a finding for each object that is not as a rule says."""
    for deviation in deviations:
        rule = deviation.rule
        yield Finding(
            deviation.check, _SEVERITY[deviation.check], deviation.subject, deviation.member, deviation.message,
            rule.id, rule.owner, deviation.response, {"place": rule.place.at()},
        )  # fmt: skip
