"""Rights over an OU, a group or another object, given or denied."""

from collections.abc import Iterator

from pydantic import Field, model_validator

from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import PrincipalName, Resolved, Response, RuleBase
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.duty_words import Extent
from adzeguard.core.values import dataclass


class GrantRule(RuleBase):
    """Rights over an OU, a group or another object, given or denied."""

    over: str = Field(min_length=1, description="The OU by its DN, or another object by its qualified name.")
    grant: tuple[str, ...] = Field((), description="Duties that are given; see: adzeguard grant duties.")
    deny: tuple[str, ...] = Field((), description="Duties that are denied; a denial wins.")
    to: tuple[PrincipalName, ...] = Field(min_length=1, description="To whom; better groups than persons.")
    only_for: tuple[str, ...] = Field((), description="Only over objects of these classes.")
    extent: Extent | None = Field(
        None, description="Over the object, what lies below it, or both. Default: as the duty."
    )

    @model_validator(mode="after")
    def _gives_something(self) -> "GrantRule":
        if bool(self.grant) == bool(self.deny):
            raise ValueError("give either grant or deny; two rules where both are meant")
        return self


@dataclass(frozen=True)
class ResolvedGrant(Resolved):
    """Rights that are to stand over an object."""

    rule: GrantRule
    over: Principal
    to: tuple[Principal, ...]


def resolve_grant(rule: GrantRule, names: RuleNames, response: Response) -> Iterator[ResolvedGrant]:
    """Yield the rule with its names found, or nothing if one cannot be used."""
    by_dn = "=" in rule.over
    over = names.container_object(("over",), rule.over) if by_dn else names.principal(("over",), rule.over)
    to = names.principals("to", rule.to)
    if over is not None and not names.failed:
        yield ResolvedGrant(rule, response, over, to)
