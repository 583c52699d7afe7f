"""What a reader of logs gives: events, and what it could not read, with the reason."""

from collections.abc import Callable, Sequence

from adzeguard.core.trail.event import Event
from adzeguard.core.values import dataclass


class NotReadError(Exception):
    """A record of a form that is known, and that cannot be read; the message says why."""


class PassedOverError(Exception):
    """A record that is understood and tells nothing that the trail keeps; the message is its kind."""


@dataclass(frozen=True, slots=True)
class Record:
    """One record of a log as it stands there, and the events that it tells; none where it is about something else."""

    text: str
    events: Sequence[Event] = ()
    trouble: str = ""
    passed_over: str = ""
    """The kind of a record that tells nothing that the trail keeps."""


LineReader = Callable[[str], Sequence[Event] | None]
"""Reads one line; None if it is of another form, `NotReadError` where it is of this one and damaged.

`PassedOverError` for one that tells nothing that is kept.
"""
