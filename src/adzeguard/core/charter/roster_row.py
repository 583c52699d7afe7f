"""One line of a roster."""

from datetime import date

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class RosterRow:
    """A group, one member of it, and where it stands."""

    group: str
    member: str
    line: int
    until: date | None = None
    """The last day on which the member belongs there, as of a contract."""
