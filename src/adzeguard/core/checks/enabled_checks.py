"""The checks as a workspace wants them: some off, some of another severity."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.table import CHECKS
from adzeguard.core.errors import SettingsError
from adzeguard.core.wording import did_you_mean


def enabled_checks(
    off: Collection[str], severities: Mapping[str, str], checks: Sequence[Check] = CHECKS
) -> list[Check]:
    """Return the checks that are on, each with its severity; `SettingsError` for a name that is none."""
    known = [check.id for check in checks]
    for name in (*off, *severities):
        if name not in known:
            raise SettingsError(
                f"adzeguard.toml: [checks] there is no check '{name}'{did_you_mean(name, known)}",
                "See: adzeguard check --list",
            )
    words = {severity.label: severity for severity in Severity}
    for name, word in severities.items():
        if word not in words:
            raise SettingsError(f"adzeguard.toml: [checks.severity] {name} must be {', '.join(words)}, not '{word}'")
    return [
        replace(check, severity=words[severities[check.id]]) if check.id in severities else check
        for check in checks
        if check.id not in off
    ]
