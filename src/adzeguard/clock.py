"""The one clock that commands look at."""

from datetime import UTC, datetime


def now() -> datetime:
    """Return the time, in UTC."""
    return datetime.now(UTC)
