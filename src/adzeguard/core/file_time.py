"""Steps of 100 nanoseconds since 1601, in which a directory keeps when an account expires ([MS-ADTS] 2.2.13)."""

from datetime import UTC, datetime, timedelta
from typing import Final

_NEVER: Final = (0, 0x7FFFFFFFFFFFFFFF)
"""Each of these stands for an account that never expires."""
_BEGAN: Final = datetime(1601, 1, 1, tzinfo=UTC)
_STEPS_A_MICROSECOND: Final = 10


def moment_of_steps(steps: int) -> datetime | None:
    """Return the moment after so many steps; None for never. `OverflowError` for one that no calendar has."""
    return None if steps in _NEVER else _BEGAN + timedelta(microseconds=steps // _STEPS_A_MICROSECOND)


def steps_of(moment: datetime | None) -> int:
    """Return how many steps a moment is after 1601; 0 for never."""
    return 0 if moment is None else (moment - _BEGAN) // timedelta(microseconds=1) * _STEPS_A_MICROSECOND


def is_never(steps: int) -> bool:
    """Tell whether a value stands for never."""
    return steps in _NEVER
