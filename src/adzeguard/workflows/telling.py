"""Telling: what waits is told by its ways; what cannot be told is kept and tried again."""

from collections.abc import Mapping, Sequence
from dataclasses import field
from typing import Final

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.values import dataclass
from adzeguard.store.letters import Kept, Letters
from adzeguard.tellers.port import Letter, Teller

_FAILURES_BORNE: Final = 2
"""One address can be wrong; two in a row are the server's, and each may have cost a long wait."""


@dataclass
class Told:
    """How many letters were told, and why others were not."""

    told: int = 0
    untold: int = 0
    reasons: list[str] = field(default_factory=list)


def tell_waiting(letters: Letters, tellers: Mapping[str, Teller]) -> Told:
    """Tell everything that waits. A way that fails is tried once a round for each bundle, and holds up no other way.

    A program that is stopped between telling and noting it tells once more, with the same number and mail's id.
    """
    result = Told()
    by_teller: dict[str, list[Kept]] = {}
    for one in letters.waiting():
        by_teller.setdefault(one.teller, []).append(one)
    for name, waiting in by_teller.items():
        teller = tellers.get(name)
        if teller is None:
            # Nobody could ever tell them, and what they tell of is listed all the same.
            letters.told(one.id for one in waiting)
            gone = f"{len(waiting)} letters are dropped, since adzeguard.toml has no [tell.{name}] any more"
            result.reasons.append(f"{gone}; what they asked stands in adzeguard questions")
            continue
        _tell(letters, teller, [Letter(one.id, one.kind, one.to, one.made_at, one.body) for one in waiting], result)
    return result


def _tell(letters: Letters, teller: Teller, waiting: Sequence[Letter], result: Told) -> None:
    failed_in_a_row = 0
    for bundle in teller.bundles(waiting):
        if failed_in_a_row >= _FAILURES_BORNE:
            result.untold += len(bundle)
            continue
        numbers = [one.id for one in bundle]
        try:
            teller.tell(bundle)
        except AdzeguardError as error:
            _failed(letters, numbers, str(error), result)
            failed_in_a_row += 1
        else:
            failed_in_a_row = 0
            letters.told(numbers)
            result.told += len(numbers)


def _failed(letters: Letters, numbers: Sequence[int], reason: str, result: Told) -> None:
    letters.failed(numbers, reason)
    result.untold += len(numbers)
    if reason not in result.reasons:
        result.reasons.append(reason)
