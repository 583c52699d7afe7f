"""A draft: changes as they were asked for, before they are put in order, numbered and weighed."""

from collections.abc import Iterable
from dataclasses import replace

from pydantic import BaseModel, ConfigDict

from adzeguard.core.change.change import Change
from adzeguard.core.values import dataclass


class LeftOut(BaseModel):
    """A deviation that is not put right, and why."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)

    subject: str
    member: str
    rule: str
    reason: str


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

    def because(self, why: str) -> "Draft":
        """Return it with a further reason behind that of each change; the same if there is none."""
        if not why:
            return self
        reasons = (f"{change.why}: {why}" if change.why else why for change in self.changes)
        told = (change.model_copy(update={"why": told}) for change, told in zip(self.changes, reasons, strict=True))
        return replace(self, changes=tuple(told))
