"""Until when a host is listened to: one that doles out its answers for ever must hold nobody."""

import threading
from dataclasses import field
from time import monotonic
from typing import Final

from adzeguard.core.errors import HostUnreachableError
from adzeguard.core.values import dataclass

STOPPED: Final = threading.Event()
"""Set where nobody waits any more for what hosts say: whoever reads from one gives up."""
_SLICE: Final = 1.0


@dataclass
class Deadline:
    """So many seconds in all for what is asked of one host at one time."""

    seconds: float
    _until: float = field(init=False)

    def __post_init__(self) -> None:
        """Begin."""
        self.begin()

    def begin(self) -> None:
        """Begin anew: something else is asked."""
        self._until = monotonic() + self.seconds

    def slice(self) -> float:
        """Return for how long to wait before looking again; `HostUnreachableError` where the time is over."""
        left = self._until - monotonic()
        if STOPPED.is_set():
            raise HostUnreachableError("it was left, since somebody stopped this")
        if left <= 0:
            raise HostUnreachableError(f"it took longer than {self.seconds:.0f} seconds over its answers")
        return min(left, _SLICE)
