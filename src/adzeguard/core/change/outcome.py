"""What became of a change."""

from collections.abc import Callable
from enum import StrEnum
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.values import dataclass


class Status(StrEnum):
    """What is now true of a change."""

    VERIFIED = "verified"
    """Made, and read back as wanted."""
    DIFFERS = "differs"
    """Made, but read back otherwise."""
    CONFLICT = "conflict"
    """Not made: what stands there is not what the proposal expected."""
    REFUSED = "refused"
    """Not made: the directory or host said no."""
    UNREACHABLE = "unreachable"
    """Not known to be made: the directory or host did not answer."""
    HELD_BACK = "held-back"
    """Not made: an addition that it relied on did not come about."""
    PUT_BACK = "put-back"
    """Made, and taken back at once: something else could not be made on its host."""
    UNSUPPORTED = "unsupported"
    """Not made: the driver cannot do it."""


MADE: Final = frozenset({Status.VERIFIED, Status.DIFFERS})
"""Something was written, and stands."""


@dataclass(frozen=True, slots=True)
class Outcome:
    """One change and what became of it."""

    change: Change
    status: Status
    detail: str = ""
    already: bool = False
    """Nothing was written, since what stands is what the change wants."""
    relies_on_unreached: bool = False
    """Held back for something that waits for the same host."""

    @property
    def waits(self) -> bool:
        """Whether it is left for the day when its host answers."""
        return bool(self.change.host_name) and (self.status == Status.UNREACHABLE or self.relies_on_unreached)


Intent = Callable[[Change], None]
"""Writes into the journal that a change is about to be made."""
