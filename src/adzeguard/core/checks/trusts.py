"""Trusts that let in more than they should, or whose secret is old."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.rows import NEVER

_A_DAY: Final = 86_400
_OLDEST: Final = 90
"""Days: servers make a new one every 30 by themselves, so that two were missed."""


def check_trusts(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield the trusts without a filter, and those whose password nobody has made anew."""
    now = looked_at.moment.timestamp()
    for trust in looked_at.estate.trusts:
        about, evidence = Named.of(trust.principal), {"partner_sid": trust.sid}
        if trust.needs_filter:
            said = f"{trust.short_name} can say that its people are anybody here: no SID is taken out of what it says"
            yield Finding("trust-without-filter", about, said, evidence=evidence)
        set_at = trust.account.details.get("password_set", NEVER) if trust.account is not None else NEVER
        days = int((now - set_at) // _A_DAY)
        if trust.account is not None and set_at != NEVER and days > _OLDEST:
            said = f"the password of {trust.account.qualified_name}, by which {trust.short_name} proves itself, is "
            yield Finding("old-trust-password", about, f"{said}{days} days old", evidence=evidence | {"days": days})


TRUST_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "trust-without-filter",
        "A trust takes every SID that the other domain says",
        "An administrator of the other domain can come in as an administrator of this one.",
        "Switch the filtering of SIDs on for the trust, at a directory server; what it will shut out: "
        "adzeguard trusts show TRUST",
        Severity.CRITICAL,
        check_trusts,
        evidence=("partner_sid",),
    ),
    Check(
        "old-trust-password",
        "The password of a trust is old",
        "Who has read it once can still make tickets for everybody of the other domain.",
        "Make the passwords of the trust anew, at a directory server of each side; then: adzeguard collect",
        Severity.MEDIUM,
        check_trusts,
        evidence=("partner_sid", "days"),
    ),
)
