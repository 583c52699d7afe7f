"""A proposal: an ordered list of changes, computed, not yet made. It is a file that people read and review."""

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, SerializeAsAny

from adzeguard.core.change.change import Change
from adzeguard.core.change.draft import LeftOut


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


class GroupImpact(_Model):
    """Who gains and who loses effective membership of one directory group, nested paths included."""

    group: str
    gains: tuple[str, ...] = ()
    loses: tuple[str, ...] = ()


class PersonImpact(_Model):
    """On how many hosts one person gains and loses effective administration."""

    person: str
    gains_hosts: int = 0
    loses_hosts: int = 0


class ReachImpact(_Model):
    """Who gains and who loses a way into one privileged group: people who are, or could make themselves, members."""

    group: str
    gains: tuple[str, ...] = ()
    loses: tuple[str, ...] = ()


def by_people(impacts: Iterable[ReachImpact], which: Literal["gains", "loses"]) -> Mapping[tuple[str, ...], list[str]]:
    """Return the groups by the people who gain, or lose, a way into them: who gets into one often gets into three."""
    together: dict[tuple[str, ...], list[str]] = {}
    for impact in impacts:
        names = impact.gains if which == "gains" else impact.loses
        if names:
            together.setdefault(names, []).append(impact.group)
    return together


class Impact(_Model):
    """What a proposal comes to, beyond its direct changes."""

    groups: tuple[GroupImpact, ...] = ()
    people: tuple[PersonImpact, ...] = ()
    reach: tuple[ReachImpact, ...] = ()
    hosts_touched: int = 0
    other_entries_removed: int = Field(0, description="Local accounts and unresolved SIDs taken out of local groups.")


class Proposal(_Model):
    """The whole proposal."""

    proposal: Literal[2] = 2
    made_at: datetime
    made_by: str
    collection: int = Field(description="The collection that the proposal was computed from.")
    domain_sid: str
    changes: tuple[SerializeAsAny[Change], ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    notes: tuple[str, ...] = Field((), description="What people should know before they say yes.")
    impact: Impact = Field(default_factory=Impact)
