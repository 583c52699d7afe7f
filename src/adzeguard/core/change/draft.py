"""A draft: changes as they were asked for, before they are put in order, numbered and weighed."""

from collections.abc import Iterable
from dataclasses import dataclass

from adzeguard.core.change.change import Change
from adzeguard.core.change.proposal import LeftOut


@dataclass(frozen=True, slots=True)
class Draft:
    """Changes, what is left out and why, and what people should know before they say yes."""

    changes: tuple[Change, ...]
    left_out: tuple[LeftOut, ...] = ()
    notes: tuple[str, ...] = ()

    @classmethod
    def of(cls, changes: Iterable[Change], notes: Iterable[str] = ()) -> "Draft":
        """Make a draft that leaves nothing out."""
        return cls(tuple(changes), (), tuple(notes))
