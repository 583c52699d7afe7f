"""How wide each column of a table is, so that no word is broken that need not be."""

from collections.abc import Sequence
from typing import Final

from adzeguard.core.values import dataclass
from adzeguard.report.layout import width_of

GAP: Final = 2
LONGEST_WORDS: Final = (26, 18)
"""Longer ones, such as a SID or a distinguished name, may be broken: most columns would be too wide otherwise. Where
not all fit even so, shorter ones are broken too."""


@dataclass(frozen=True, slots=True)
class Wants:
    """What a column would need: with its longest word whole, and with nothing wrapped."""

    least: int
    most: int


def wants_of(title: str, cells: Sequence[str], longest: int, *, fixed: bool) -> Wants:
    """Return what a column of these texts needs with words up to a length whole; one that is fixed is never wrapped."""
    most = max(map(width_of, (title, *(line for cell in cells for line in cell.split("\n")))))
    if fixed:
        return Wants(most, most)
    words = max((width_of(word) for cell in (title, *cells) for word in cell.split()), default=1)
    return Wants(max(1, min(words, longest, most)), most)


def column_widths(wants: Sequence[Wants], width: int) -> list[int] | None:
    """Return the width of each column where all fit beside each other; None if they do not.

    What is left over when each has its least is shared out evenly, until each has what it needs.
    """
    left = width - GAP * (len(wants) - 1) - sum(one.least for one in wants)
    if left < 0:
        return None
    given = [one.least for one in wants]
    while left > 0:
        short = [place for place, one in enumerate(wants) if given[place] < one.most]
        if not short:
            break
        share = max(1, left // len(short))
        for place in short[:left]:
            more = min(share, wants[place].most - given[place])
            given[place] += more
            left -= more
    return given
