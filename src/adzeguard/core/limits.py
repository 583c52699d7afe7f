"""The limits of a proposal, and the sizes that an operator names."""

from typing import Final

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Limits:
    """How large a proposal may be before the operator must name its size."""

    removals: int = 50
    """Members taken out, of groups and of hosts together."""
    hosts: int = 200
    """Hosts touched."""
    share: float = 0.5
    """Part of a directory group that is taken out at once; small groups do not count."""
    deletions: int = 1
    """Objects deleted."""


@dataclass(frozen=True, slots=True)
class NamedSizes:
    """The sizes that the operator has named for this proposal."""

    removals: int | None = None
    hosts: int | None = None
    deletions: int | None = None
    new_reach: int | None = None
    lookalikes: int | None = None
    """How many names look like others, or have letters that are not what they look like."""
    vanished: int | None = None
    """How many SIDs resolve to nothing, without anybody having seen them deleted."""


USUAL_LIMITS: Final = Limits()
NOTHING_NAMED: Final = NamedSizes()
