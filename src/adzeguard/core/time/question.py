"""A deviation put to the owner of its rule, and what was decided about it."""

from collections.abc import Iterable
from datetime import datetime, timedelta
from typing import Literal

from adzeguard.core.values import dataclass
from adzeguard.core.wording import when_utc

State = Literal["open", "mended", "left", "settled"]
"""`mended` and `left` are answers; `settled` is what went away without one."""


@dataclass(frozen=True, slots=True)
class Question:
    """What deviates, under which rule, whom was asked about it and when, and what became of it.

    `changed_at`, `changed_by` and `changed_from` are what the trail knows of how it came to be; empty where nothing.
    `again` says how often the same was asked before.
    """

    id: str
    fingerprint: str
    rule: str
    owner: str
    subject: str
    subject_sid: str
    member: str
    member_sid: str
    host: str
    message: str
    says: str
    """What the charter says, in words, and where."""
    asked_at: datetime
    changed_at: str = ""
    changed_by: str = ""
    changed_from: str = ""
    again: int = 0
    state: State = "open"
    answered_by: str = ""
    answered_at: datetime | None = None
    why: str = ""
    told: datetime | None = None
    """When somebody was told of it last."""
    reminded: int = 0
    """How often somebody was told again."""
    cannot_mend: str = ""
    """Why no change puts it right; empty where one does."""

    @property
    def is_open(self) -> bool:
        """Whether it waits for an answer."""
        return self.state == "open"

    @property
    def is_about_its_rule(self) -> bool:
        """Whether the rule itself cannot be followed: no change puts that right, only the charter does."""
        return not self.subject_sid and self.subject == self.rule


@dataclass(frozen=True, slots=True)
class Reminding:
    """After how long somebody is told again, and who hears of it then: the owner, the deputy, the workspace's owner."""

    after: timedelta
    deputy: str = ""
    last: str = ""

    def whom(self, question: Question, now: datetime) -> str:
        """Return who is to be told of a question now; an empty text where nobody is."""
        if question.told is None:
            return question.owner or self.last
        if now - question.told < self.after:
            return ""
        steps = (question.owner, self.deputy or self.last)
        return (steps[question.reminded] if question.reminded < len(steps) else self.last) or question.owner


@dataclass(frozen=True, slots=True)
class Waiver:
    """A deviation left as it is until a moment, by somebody, for a reason. `renewed` counts how often it was before."""

    id: str
    fingerprint: str
    rule: str
    subject: str
    member: str
    by: str
    why: str
    begun: datetime
    until: datetime
    renewed: int = 0
    ended: datetime | None = None
    """When somebody ended it before its time."""

    def holds(self, now: datetime) -> bool:
        """Tell whether the deviation is left as it is now."""
        return self.ended is None and now < self.until

    def in_words(self) -> str:
        """Return until when, by whom and why it is left."""
        return f"left until {when_utc(self.until)} by {self.by} ({self.id}): {self.why}"


def left_as_it_is(waivers: Iterable[Waiver], now: datetime) -> dict[str, Waiver]:
    """Return the waivers that hold, by the fingerprints of what they leave."""
    return {one.fingerprint: one for one in waivers if one.holds(now)}
