"""What a kind of rule is: its key, its words, how its names are found, and how it is held against what stands."""

from collections.abc import Callable, Iterable, Sequence
from functools import cache
from importlib import import_module
from typing import Any

from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.check_row import CheckRow
from adzeguard.core.values import dataclass


def nothing_left(*_: Any) -> tuple[()]:
    """Yield nothing: what such rules put in is seen to elsewhere, or is nothing that is taken back."""
    return ()


@dataclass(frozen=True, slots=True)
class RuleKind:
    """One kind of rule.

    `resolve(rule, names, response)` yields the rule with its names found, or what it comes to: a roster gives rules
    about groups. `review(rights, charter)` yields what deviates from all that rules of the kind come to.
    """

    key: str
    words: type[RuleBase]
    resolve: Callable[..., Iterable[Any]]
    review: Callable[..., Iterable[Any]]
    withdraw: Callable[..., Iterable[Any]] = nothing_left
    """`withdraw(rights, charter, put_in)` yields what rules of the kind have put in and none asks for any more."""


@dataclass(frozen=True, slots=True)
class KindRow:
    """One row of the table of kinds. A charter has rules of few of them, and the rest are not imported."""

    key: str
    words: str
    """The module of its words, and of what its rules come to."""
    review: str
    """The module that holds the kind."""
    checks: tuple[CheckRow, ...] = ()
    """What its reviews find, in words; every check that a correction names is one of these, or of every rule."""
    puts_in: tuple[str, ...] = ()
    """The kinds of change that it takes back itself when no rule asks for them any more."""
    by: str = ""
    """The field without which rules of these words come to nothing of this kind; where it is empty, all of them do."""

    @property
    def kind(self) -> RuleKind:
        """The kind itself."""
        return _kind_in(self.review, self.key)


@cache
def _kind_in(module: str, key: str) -> RuleKind:
    held = vars(import_module(module)).values()
    return next(kind for kind in held if isinstance(kind, RuleKind) and kind.key == key)


def row_of(raw: dict[str, Any], kinds: Sequence[KindRow]) -> KindRow | None:
    """Return the kind of a rule by the key that only rules of that kind have."""
    return next((row for row in kinds if row.key in raw), None)
