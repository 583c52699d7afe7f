"""What somebody may have meant who misspelt a name."""

import difflib
from collections.abc import Iterable


def nearest(name: str, known: Iterable[str], cutoff: float = 0.5) -> str:
    """Return the known name that comes nearest, or nothing."""
    near = difflib.get_close_matches(name, list(known), 1, cutoff)
    return near[0] if near else ""
