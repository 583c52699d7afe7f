"""All that was done to memberships, newest first, read as far back as somebody looks."""

import heapq
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from itertools import islice
from typing import Final, overload

from adzeguard.core.trail.event import MEMBERSHIP
from adzeguard.core.trail.history import Entry, Known, direct_history
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.past import Elsewhere, Past, all_known, known_of

_FIRST: Final = datetime.min.replace(tzinfo=UTC)
_LAST: Final = datetime.max.replace(tzinfo=UTC)


class NewestFirst(Sequence[Entry]):
    """The events between two moments. Of a million few are shown: they are counted, and made when they are looked at.

    What lies before what was looked at last is forgotten again, and read once more for who goes back.
    """

    def __init__(
        self, past: Past, elsewhere: Elsewhere, names: Identities, since: datetime | None, until: datetime | None
    ) -> None:
        self._past = past
        self._names = names
        self._since, self._until = since, until
        groups = {one.group for one in (*elsewhere.from_here, *elsewhere.seen)}
        known = all_known(past, elsewhere, names, groups) if groups else []
        untold = [one for one in known if one.event.source != "trail" and one.event.at >= (since or _FIRST)]
        self._untold = untold[::-1]
        of_these = sum(one.event.at <= (until or _LAST) for one in untold)
        self._count = past.trail.count(MEMBERSHIP, since, until) + of_these
        self._begin()

    def _begin(self) -> None:
        self._from = 0
        self._kept: list[Entry] = []
        self._rest = self._walked()

    def __len__(self) -> int:
        return self._count

    @overload
    def __getitem__(self, index: int) -> Entry: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[Entry]: ...
    def __getitem__(self, index: int | slice) -> Entry | Sequence[Entry]:
        places = range(self._count)[index]
        if isinstance(places, int):
            return self._between(places, places + 1)[0]
        if not places:
            return []
        low, high = min(places), max(places) + 1
        found = self._between(low, high)
        return [found[place - low] for place in places]

    def _between(self, low: int, high: int) -> list[Entry]:
        if low < self._from:
            self._begin()
        begun = self._from + len(self._kept)
        if low >= begun:
            for _ in islice(self._rest, low - begun):
                pass
            self._from, self._kept = low, []
        else:
            self._kept = self._kept[low - self._from :]
            self._from = low
        self._kept += islice(self._rest, max(high - low - len(self._kept), 0))
        return self._kept[: high - low]

    def _walked(self) -> Iterator[Entry]:
        """Yield them. What was done after the last of them is gone through too: it may have undone one."""
        entries = direct_history(
            heapq.merge(self._untold, self._of_trail(), key=lambda one: one.event.at, reverse=True)
        )
        return (one for one in entries if one.known.event.at <= (self._until or _LAST))

    def _of_trail(self) -> Iterator[Known]:
        for page in self._past.trail.pages_back(MEMBERSHIP, self._since):
            yield from known_of(page, self._names)
