"""What a kind of rule is: its key, its words, how its names are found, and how it is held against what stands."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.check_row import CheckRow
from adzeguard.core.values import dataclass


def nothing_left(*_: Any) -> tuple[()]:
    """Yield nothing: what such rules put in is seen to elsewhere, or is nothing that is taken back."""
    return ()


@dataclass(frozen=True, slots=True)
class RuleKind:
    """One row of the table of kinds.

    `resolve(rule, names, response)` yields the rule with its names found, or what it comes to: a roster gives rules
    about groups. `review(rights, charter)` yields the corrections of all that was found of the kind `resolved`.
    """

    key: str
    words: type[RuleBase]
    resolve: Callable[..., Iterable[Any]]
    review: Callable[..., Iterable[Any]]
    withdraw: Callable[..., Iterable[Any]] = nothing_left
    """`withdraw(rights, charter, put_in)` yields what rules of the kind have put in and none asks for any more."""
    checks: tuple[CheckRow, ...] = ()
    """What its reviews find, in words; every check that a correction names is one of these, or of every rule."""


def kind_of(raw: dict[str, Any], kinds: Sequence[RuleKind]) -> RuleKind | None:
    """Return the kind of a rule by the key that only rules of that kind have."""
    return next((kind for kind in kinds if kind.key in raw), None)
