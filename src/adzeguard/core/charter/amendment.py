"""One rule that is written into the charter, altered or taken out of it: as plain values, before and after."""

from collections.abc import Mapping
from typing import Any

from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.values import dataclass

Words = Mapping[str, Any]
"""A rule as the YAML says it: its keys with dashes, and only those that are given."""


@dataclass(frozen=True, slots=True)
class Amendment:
    """`before` is None for a new rule, `after` None for one that goes."""

    rule: str
    before: Words | None
    after: Words | None


def words_of(rule: RuleBase) -> Words:
    """Return a rule as the YAML says it."""
    return rule.model_dump(mode="json", by_alias=True, exclude_unset=True, exclude={"place"})
