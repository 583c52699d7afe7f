"""The table of checks, family by family: what `check`, the guide and later commands read."""

from collections.abc import Iterable
from typing import Final

from adzeguard.core.charter.kinds import KindRow
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.host_rows import HOST_CHECKS
from adzeguard.core.checks.name_rows import NAME_CHECKS
from adzeguard.core.checks.password_policies import PASSWORD_CHECKS
from adzeguard.core.checks.right_rows import RIGHT_CHECKS
from adzeguard.core.checks.rules import deviations_from_rules
from adzeguard.core.checks.sid_history import SID_HISTORY_CHECKS
from adzeguard.core.checks.signing_in import SIGNING_CHECKS
from adzeguard.core.checks.time_rows import TIME_CHECKS
from adzeguard.core.checks.trusts import TRUST_CHECKS
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.core.review.rule_rows import FOR_EVERY_RULE


def checks_of_rules(kinds: Iterable[KindRow]) -> tuple[Check, ...]:
    """Return the checks that rules of these kinds bring along, each once."""
    rows = dict.fromkeys([*FOR_EVERY_RULE, *(row for kind in kinds for row in kind.checks)])
    return tuple(Check.of(row, deviations_from_rules) for row in rows)


CHECKS: Final[tuple[Check, ...]] = (
    *checks_of_rules(RULE_KINDS),
    *RIGHT_CHECKS,
    *HOST_CHECKS,
    *TRUST_CHECKS,
    *SID_HISTORY_CHECKS,
    *PASSWORD_CHECKS,
    *SIGNING_CHECKS,
    *NAME_CHECKS,
    *TIME_CHECKS,
)
