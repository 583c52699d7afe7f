"""What was lately seen of privileged groups and accounts, and what could not be seen."""

from collections.abc import Sequence
from dataclasses import field
from datetime import datetime, timedelta

from adzeguard.core.trail.audit_coverage import Gap
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Done:
    """Somebody was put into a privileged group or taken out, by their names of today.

    `privileged` is the group that it counted for, `group` the one that was changed. `held` is how long it held, where
    the opposite came later. `declared` says that our journal did it.
    """

    at: datetime
    verb: str
    privileged: str
    group: str
    group_sid: str
    member: str
    member_sid: str
    by: str
    by_sid: str
    origin: str
    declared: bool
    held: timedelta | None = None


@dataclass(frozen=True, slots=True)
class Logon:
    """A privileged account logged on, or was refused.

    `host` is where, as far as that has proved itself, and empty where nothing has; `claimed` is what the client says.
    """

    at: datetime
    account: str
    account_sid: str
    host: str
    origin: str
    refused: bool
    claimed: str = ""
    way: str = ""


@dataclass(frozen=True, slots=True)
class Unseen:
    """A change of ours that the trail should show and does not."""

    at: datetime
    words: str
    group: str
    group_sid: str


@dataclass(frozen=True)
class Seen:
    """All of it. `lacking` are kinds of events that the trail has none of, `gaps` stretches without any."""

    done: Sequence[Done] = ()
    logons: Sequence[Logon] = ()
    unseen: Sequence[Unseen] = ()
    gaps: Sequence[Gap] = ()
    lacking: Sequence[str] = ()
    since: datetime | None = None
    """From when on it was looked at; None if there is no trail at all."""
    hours: frozenset[int] | None = None
    """The working hours of a week in the operator's time zone, where the workspace names any."""
    offset: timedelta = field(default_factory=timedelta)
    """How far that time zone is from UTC."""
