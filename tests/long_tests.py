"""How much of what is dear a run does: all of it where LONG_TESTS is set, otherwise a part that changes by day."""

import os
import random
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TypeVar

LONG = bool(os.environ.get("LONG_TESTS"))
SEED = int(os.environ.setdefault("TESTS_SEED", f"{datetime.now(UTC):%Y%m%d}"))
"""Given on to the processes that the tests run in, so that all of them mean the same day."""

T = TypeVar("T")


def part_of(everything: Sequence[T], usual: int) -> list[T]:
    """Everything in a long run, otherwise so many of it, in their order; the day decides which."""
    if LONG or len(everything) <= usual:
        return list(everything)
    chosen = random.Random(SEED).sample(range(len(everything)), usual)
    return [everything[at] for at in sorted(chosen)]


def times(long: int, usual: int) -> int:
    """How often something is tried."""
    return long if LONG else usual
