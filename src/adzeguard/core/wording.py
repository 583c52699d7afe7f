"""What somebody may have meant who misspelt a name."""

import difflib
from collections.abc import Callable, Iterable, Sequence


def nearest(name: str, known: Iterable[str], cutoff: float = 0.5) -> str:
    """Return the known name that comes nearest, or nothing."""
    near = difflib.get_close_matches(name, list(known), 1, cutoff)
    return near[0] if near else ""


def did_you_mean(name: str, known: Iterable[str], *, cutoff: float = 0.5, shown: Callable[[str], str] = repr) -> str:
    """Return ", did you mean 'X'?", or nothing where nothing comes near."""
    near = nearest(name, known, cutoff)
    return f", did you mean {shown(near)}?" if near else ""


def some_of(names: Sequence[str], shown: int = 5, count: int = 0) -> str:
    """Return the first names, and how many more there are; of `count`, where not all names are given."""
    count = max(count, len(names))
    more = f" and {count - shown} more" if count > shown else ""
    return ", ".join(names[:shown]) + more
