"""Small words that several places say: near names, lists cut short, ages."""

from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, datetime, timedelta


def near_names(name: str, known: Iterable[str], most: int, cutoff: float) -> list[str]:
    """Return the known names that come near, so many at most, the nearest first."""
    import difflib  # only here: most names are written right

    return difflib.get_close_matches(name, list(known), most, cutoff)


def nearest(name: str, known: Iterable[str], cutoff: float = 0.5) -> str:
    """Return the known name that comes nearest, or nothing."""
    return next(iter(near_names(name, known, 1, cutoff)), "")


def did_you_mean(name: str, known: Iterable[str], *, cutoff: float = 0.5, shown: Callable[[str], str] = repr) -> str:
    """Return ", did you mean 'X'?", or an empty text if nothing comes near."""
    near = nearest(name, known, cutoff)
    return f", did you mean {shown(near)}?" if near else ""


def counted_noun(count: int, noun: str) -> str:
    """Return "1 host", "2 hosts"."""
    return f"{count} {noun}{'s' * (count != 1)}"


def age_in_words(age: timedelta) -> str:
    """Return how long ago something was, in its largest unit."""
    for seconds, word in ((86400, "day"), (3600, "hour"), (60, "minute")):
        count = int(age.total_seconds() // seconds)
        if count:
            return f"{count} {word}{'s' * (count != 1)}"
    return "less than a minute"


def when(moment: datetime, *, seconds: bool = False) -> str:
    """Return a moment as the people here read it, in the zone of this machine, with the zone: 2026-11-29 21:05 UTC+1.

    For what is shown and gone. What is kept, compared or sent is written by `when_utc`.
    """
    there = moment.astimezone()
    return f"{there:{_TO_THE_SECOND if seconds else _TO_THE_MINUTE}} {zone_in_words(there.utcoffset())}"


def when_utc(moment: datetime, *, seconds: bool = False) -> str:
    """Return a moment the same for everybody everywhere: 2026-11-29 20:05 UTC."""
    return f"{moment.astimezone(UTC):{_TO_THE_SECOND if seconds else _TO_THE_MINUTE}} UTC"


def zone_in_words(offset: timedelta | None) -> str:
    """Return how far a zone is from UTC: UTC+1, UTC-3:30; a name of a zone would mean another one elsewhere."""
    minutes = int((offset or timedelta()).total_seconds() // 60)
    if not minutes:
        return "UTC"
    hours, rest = divmod(abs(minutes), 60)
    return f"UTC{'-' if minutes < 0 else '+'}{hours}{f':{rest:02}' if rest else ''}"


_TO_THE_MINUTE = "%Y-%m-%d %H:%M"
_TO_THE_SECOND = "%Y-%m-%d %H:%M:%S"


def length_in_words(length: timedelta) -> str:
    """Return a length of time in its two largest units: 1 h 59 min."""
    minutes = int(length.total_seconds() // 60)
    parts = ((minutes // 1440, "d"), (minutes // 60 % 24, "h"), (minutes % 60, "min"))
    said = [f"{count} {unit}" for count, unit in parts if count]
    return " ".join(said[:2]) or "less than a minute"


def some_of(names: Sequence[str], shown: int = 5, count: int = 0) -> str:
    """Return the first names, and how many more there are; of `count`, where not all names are given."""
    count = max(count, len(names))
    more = f" and {count - shown} more" if count > shown else ""
    return ", ".join(names[:shown]) + more


def printable(text: str) -> str:
    """Replace what is not printable but a new line: it could steer a terminal or turn the direction of a line."""
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() or c == "\n" else "\ufffd" for c in text)
