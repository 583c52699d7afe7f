"""The table of checks, family by family: what `check`, the guide and later commands read."""

from typing import Final

from adzeguard.core.checks.check import Check
from adzeguard.core.checks.host_rows import HOST_CHECKS
from adzeguard.core.checks.right_rows import RIGHT_CHECKS
from adzeguard.core.checks.rule_rows import RULE_CHECKS
from adzeguard.core.checks.time_rows import TIME_CHECKS

CHECKS: Final[tuple[Check, ...]] = (*RULE_CHECKS, *RIGHT_CHECKS, *HOST_CHECKS, *TIME_CHECKS)
