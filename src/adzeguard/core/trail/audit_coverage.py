"""Whether a trail tells enough: which kinds of events it has, and where it is silent for longer than usual."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Final

import numpy as np

from adzeguard.core.trail.event import Verb, moment
from adzeguard.core.values import dataclass

_FEWEST: Final = 20
"""Events below which nobody can say what is usual."""
_TIMES_THE_USUAL: Final = 2
_USUAL: Final = 0.98
"""The part of all stretches that are usual, nights and weekends among them."""
_SHORTEST: Final = timedelta(hours=12)
"""A night without events is no gap."""
WANTED: Final[Mapping[str, Sequence[Verb]]] = {
    "members of groups": ("added", "removed"),
    "changes of objects": ("created", "changed", "moved", "deleted"),
    "logons": ("logon", "refused"),
}
"""The classes of events that can be switched on, and of which of them an event is; one event tells that it is on."""


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch without any event."""

    begin: datetime
    end: datetime

    @property
    def length(self) -> timedelta:
        """How long it is."""
        return self.end - self.begin


def gaps(times: Iterable[int]) -> list[Gap]:
    """Return the stretches that are much longer than what is usual there; `times` in microseconds, sorted."""
    all_times = times if isinstance(times, np.ndarray) else np.array(list(times), np.int64)
    if len(all_times) < _FEWEST:
        return []
    lengths = np.diff(all_times)
    nth = int(len(lengths) * _USUAL)
    usual = int(np.partition(lengths, nth)[nth])
    least = max(usual * _TIMES_THE_USUAL, int(_SHORTEST.total_seconds() * 1_000_000))
    found = np.flatnonzero(lengths > least).tolist()
    return [Gap(moment(int(all_times[i])), moment(int(all_times[i + 1]))) for i in found]


def missing(has: Callable[[Sequence[Verb]], bool]) -> list[str]:
    """Return the classes of which a trail has not one event; `has` tells whether it has one of some verbs."""
    return [name for name, some in WANTED.items() if not has(some)]
