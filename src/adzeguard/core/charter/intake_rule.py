"""Where users and computers land that are created without a place."""

from collections.abc import Iterator, Mapping

from pydantic import Field, model_validator

from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import Resolved, Response, RuleBase, Strict
from adzeguard.core.estate.principal import Principal
from adzeguard.core.values import dataclass


class Intake(Strict):
    """Where new objects land. At least one of both."""

    users: str = Field("", description="The OU for users that are created without a place.")
    computers: str = Field("", description="The OU for computers that are created without a place.")

    @model_validator(mode="after")
    def _says_where(self) -> "Intake":
        if not (self.users or self.computers):
            raise ValueError("says no OU: give users, computers or both")
        return self


class IntakeRule(RuleBase):
    """Where users and computers land that are created without a place."""

    intake: Intake


@dataclass(frozen=True)
class ResolvedIntake(Resolved):
    """Where new users and computers are to land."""

    containers: Mapping[str, Principal]


def resolve_intake(rule: IntakeRule, names: RuleNames, response: Response) -> Iterator[ResolvedIntake]:
    """Yield the rule with its OUs found, or nothing if one cannot be used."""
    listed = {"users": rule.intake.users, "computers": rule.intake.computers}
    places = {what: names.container_object(("intake", what), dn) for what, dn in listed.items() if dn}
    if not names.failed:
        yield ResolvedIntake(rule, response, {what: place for what, place in places.items() if place is not None})
