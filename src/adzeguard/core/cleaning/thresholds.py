"""From when on something counts as stale."""

from datetime import timedelta
from typing import Final

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Thresholds:
    """Not used for so long; made so long ago and never used; a password not renewed for so long."""

    unused: timedelta
    never_used: timedelta
    password: timedelta


USUAL_THRESHOLDS: Final = Thresholds(timedelta(days=90), timedelta(days=30), timedelta(days=365))
LAG: Final = timedelta(days=14)
"""How far the replicated logon stamp may lie behind the last logon: a directory server renews it no more often
([MS-ADA1] 2.350, lastLogonTimestamp)."""
