"""Which deviations become questions to their owners, and which questions have settled themselves."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.table import CHECKS
from adzeguard.core.review.correction import Correction
from adzeguard.core.time.question import Question, Waiver
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class ToAsk:
    """What is asked now, with how often the same was asked before; and the questions that nothing is left of."""

    new: Sequence[tuple[Correction, int]]
    settled: Sequence[Question]


def to_ask(
    corrections: Iterable[Correction], questions: Sequence[Question], waivers: Iterable[Waiver], now: datetime
) -> ToAsk:
    """Ask about each deviation once, by its fingerprint, and again when it comes back or was left long enough.

    Asked is what a rule tells and does not mend; what is only for knowing is not.
    """
    open_ = {one.fingerprint for one in questions if one.is_open}
    left = {one.fingerprint for one in waivers if one.holds(now)}
    before: dict[str, int] = {}
    for one in questions:
        before[one.fingerprint] = before.get(one.fingerprint, 0) + 1
    for_knowing = {check.id for check in CHECKS if check.severity == Severity.NOTE}
    new: dict[str, Correction] = {}
    standing: set[str] = set()
    for correction in corrections:
        if correction.response != "tell" or correction.stops_rule or correction.check in for_knowing:
            continue
        fingerprint = correction.fingerprint
        standing.add(fingerprint)
        if fingerprint not in open_ and fingerprint not in left:
            new.setdefault(fingerprint, correction)
    # Left while its question stayed open: somebody was killed in between, or left it by its fingerprint.
    settled = [one for one in questions if one.is_open and (one.fingerprint not in standing or one.fingerprint in left)]
    return ToAsk([(correction, before.get(fingerprint, 0)) for fingerprint, correction in new.items()], settled)
