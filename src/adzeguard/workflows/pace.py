"""How fast hosts are changed: so many at once, so many a minute."""

from collections.abc import Callable
from dataclasses import field
from threading import Lock
from typing import Final

from adzeguard.core.values import dataclass

AT_ONCE: Final = 32
"""Hosts: most of a host's time is waiting. More than these were no quicker, and servers drop bursts."""
_MINUTE: Final = 60.0
_LONGEST_NAP: Final = 0.5
"""Seconds after which a wait looks whether it is still wanted."""


@dataclass
class Pace:
    """The limits. Work with a host begins by waiting for its turn.

    `clock` tells seconds, and `wait` lets some pass; they are needed where there is a rate.
    """

    at_once: int = AT_ONCE
    per_minute: int | None = None
    clock: Callable[[], float] = lambda: 0.0
    wait: Callable[[float], None] = lambda _seconds: None
    _next: float = 0.0
    _lock: Lock = field(default_factory=Lock)

    def turn(self, is_to_stop: Callable[[], bool] = lambda: False) -> None:
        """Wait until another host may be begun with, or nothing more is to be begun."""
        if self.per_minute is None:
            return
        with self._lock:
            turn = max(self._next, self.clock())
            self._next = turn + _MINUTE / self.per_minute
        while not is_to_stop() and (left := turn - self.clock()) > 0:
            self.wait(min(left, _LONGEST_NAP))
