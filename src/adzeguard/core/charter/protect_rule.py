"""OUs that nobody may delete or move."""

from collections.abc import Iterator
from typing import Any

from pydantic import Field, model_validator

from adzeguard.core.charter.references import RuleNames
from adzeguard.core.charter.rule import Resolved, Response, RuleBase, one_or_many
from adzeguard.core.estate.principal import Principal
from adzeguard.core.values import dataclass


class ProtectRule(RuleBase):
    """OUs that nobody may delete or move."""

    protect: tuple[str, ...] = Field(min_length=1, description="These OUs; the base DN may be left off.")

    @model_validator(mode="before")
    @classmethod
    def _one_or_many(cls, value: Any) -> Any:
        return one_or_many(value, "protect")


@dataclass(frozen=True)
class ResolvedProtection(Resolved):
    """OUs that are to be protected against deletion."""

    objects: tuple[Principal, ...]


def resolve_protection(rule: ProtectRule, names: RuleNames, response: Response) -> Iterator[ResolvedProtection]:
    """Yield the rule with its OUs found, or nothing if one cannot be used."""
    objects = [names.container_object(("protect", at), dn) for at, dn in enumerate(rule.protect)]
    if not names.failed:
        yield ResolvedProtection(rule, response, tuple(o for o in objects if o is not None))
