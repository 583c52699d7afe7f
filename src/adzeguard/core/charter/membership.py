"""What rules about members demand: exactly these, these too, never these."""

from typing import Any, Literal

from pydantic import Field, model_validator

from adzeguard.core.charter.references import Reference, RuleNames
from adzeguard.core.charter.rule import Day, PrincipalName, Resolved, RuleBase
from adzeguard.core.values import dataclass


class MembershipRule(RuleBase):
    """A rule about members. `only`: exactly these. `include`: these too. `exclude`: never these."""

    only: tuple[PrincipalName, ...] | None = Field(None, description="Exactly these, and nobody else.")
    include: tuple[PrincipalName, ...] = Field((), description="At least these; others stay.")
    exclude: tuple[PrincipalName, ...] = Field((), description="Never these.")
    lease: dict[PrincipalName, Day] = Field(
        default_factory=dict, description=r"These too, each up to a last day: {LOWMERE\roan.pell: 2026-12-24}."
    )
    nested: Literal["refuse"] | None = Field(None, description="refuse: any group inside the group is a finding.")
    reach_only: tuple[PrincipalName, ...] | None = Field(
        None,
        description="Nobody but these may be inside, directly or through any nesting. Told, never mended.",
    )

    @model_validator(mode="after")
    def _demands_something(self) -> "MembershipRule":
        lists = (self.include, self.exclude, self.nested, self.lease)
        if self.only is None and self.reach_only is None and not any(lists):
            raise ValueError("demands nothing: give only, include, exclude, lease, nested or reach-only")
        wanted = (*(self.only or ()), *self.include, *self.lease)
        both = {n.casefold() for n in wanted} & {n.casefold() for n in self.exclude}
        if both:
            raise ValueError(f"both wants and excludes {min(both)}")
        return self


@dataclass(frozen=True)
class ResolvedMembership(Resolved):
    """A rule about members with its lists found."""

    rule: MembershipRule
    only: tuple[Reference, ...] | None
    include: tuple[Reference, ...]
    exclude: tuple[Reference, ...]
    reach_only: tuple[Reference, ...] | None
    leased: tuple[Reference, ...]
    """Those of the others that are listed up to a last day."""

    @property
    def listed(self) -> tuple[Reference, ...]:
        """Everything that it names, in any of its lists."""
        return (*(self.only or ()), *self.include, *self.exclude, *(self.reach_only or ()))


def resolve_lists(names: RuleNames, rule: MembershipRule, *, local_allowed: bool) -> dict[str, Any]:
    """Find the names of each list; `local_allowed` where members of a host's own make sense.

    Who has a lease counts as listed wherever others are listed, up to its last day; afterwards as not listed at all.
    """
    running = [name for name, last in rule.lease.items() if names.day <= last]
    leased = names.references("lease", running, local_allowed=local_allowed) or ()
    only = names.references("only", rule.only, local_allowed=local_allowed)
    include = names.references("include", rule.include, local_allowed=local_allowed) or ()
    reach_only = names.references("reach-only", rule.reach_only, local_allowed=local_allowed)
    return {
        "only": (*only, *leased) if only is not None else None,
        "include": (*include, *leased) if only is None else include,
        "exclude": names.references("exclude", rule.exclude, local_allowed=local_allowed) or (),
        "reach_only": (*reach_only, *leased) if reach_only is not None else None,
        "leased": leased,
    }
