"""Times as objects have them: seconds since 1970, which a directory can hold any number for."""

from datetime import UTC, datetime


def moment(seconds: object) -> datetime | None:
    """Return a time in UTC; None for never, for what is none, or for a number that no calendar has."""
    try:
        return datetime.fromtimestamp(seconds, UTC) if isinstance(seconds, int) and seconds > 0 else None
    except (ValueError, OverflowError, OSError):
        return None
