"""Looking what would become of a change: everything that an executor does, up to the write and no further."""

from collections.abc import Callable
from typing import NoReturn

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome


class _WouldBeWrittenError(Exception):
    """Raised in the place of the write."""


def look_only(_change: Change) -> NoReturn:
    """Stand in for the intent, which an executor calls right before it writes."""
    raise _WouldBeWrittenError


def looked_at(execute: Callable[[], Outcome]) -> Outcome | None:
    """Return what an executor says that was handed `look_only`; None where it came to the write."""
    try:
        return execute()
    except _WouldBeWrittenError:
        return None
