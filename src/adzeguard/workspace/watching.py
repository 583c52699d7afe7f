"""Rounds that go on by themselves: when the next one is needed, and the waiting until then."""

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from datetime import timedelta
from random import SystemRandom
from threading import Event
from time import monotonic
from typing import TYPE_CHECKING, Any, Final

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.time.shift import stretches, why_unusable
from adzeguard.directory.port import WatchableDirectory
from adzeguard.store.leases import Leases
from adzeguard.store.questions import Waivers
from adzeguard.store.shifts import Shifts
from adzeguard.workspace.round import one_round

if TYPE_CHECKING:
    from adzeguard.directory.port import DirectoryDriver
    from adzeguard.workspace.open_workspace import Workspace

_JITTER: Final = 0.1
"""Of many workspaces that were started together not all should ask at once."""
_LOT: Final = SystemRandom()
_SLICE: Final = 1.0
"""Seconds after which a wait looks whether it is to end."""
_SETTLING: Final = 2.0
"""Seconds between a change and its round: changes come several at a time."""
_AGAIN: Final = 15.0
"""Seconds until the next round after one that failed or left a lease that is over; twice as long each time after."""


def rounds(
    open_anew: "Callable[[], Workspace]", minutes: int, most: int | None, asked_to_stop: Callable[[], bool]
) -> Iterator[dict[str, Any]]:
    """Yield what each round came to, one after the other: every so many minutes, or when the directory says so.

    `open_anew` opens the workspace for each round, since settings and charter may have been changed since the last.
    A round that fails yields its error, and the next one is made all the same.
    """
    done = in_vain = 0
    because = "begin"
    with ExitStack() as open_:
        waiting = Waiting(open_.enter_context(open_anew().directory()), asked_to_stop)
        while not asked_to_stop():
            now = open_anew()
            line: dict[str, Any] = {"at": now.now().isoformat(), "because": because}
            try:
                line |= one_round(now)
            except AdzeguardError as error:
                line["error"] = str(error)
            yield line
            done += 1
            if done == most:
                return
            needed = _until_needed(now, minutes * 60 * _LOT.uniform(1 - _JITTER, 1 + _JITTER))
            in_vain = in_vain + 1 if "error" in line or _is_late(now) else 0
            if in_vain:
                # Who holds a lease that is over has what nobody gives them any more: a quarter of an hour is too long.
                needed = min(needed, _AGAIN * 2 ** min(in_vain - 1, 16))
            now.close()
            because = waiting.until_needed(needed)


def _until_needed(workspace: "Workspace", longest: float) -> float:
    """Return in how many seconds a lease ends, a shift begins or a waiver is over, at most so many."""
    now = workspace.now()
    then = now + timedelta(seconds=longest)
    moments = [one.until for one in Leases(workspace.database).all() if one.is_open]
    moments += [one.until for one in Waivers(workspace.database).all() if one.holds(now)]
    for shift in Shifts(workspace.database).all():
        if shift.ended is None and not why_unusable(shift, now):
            moments += [one.begin for one in stretches(shift, now, then)]
    left = min(((one - now).total_seconds() for one in moments if one > now), default=longest)
    return min(longest, max(left, _SETTLING))


def _is_late(workspace: "Workspace") -> bool:
    now = workspace.now()
    return any(one.is_open and one.until <= now for one in Leases(workspace.database).all())


class Waiting:
    """Waits for the next round: for a time to pass, or for the directory to say that something changed."""

    def __init__(self, directory: "DirectoryDriver", asked_to_stop: Callable[[], bool]) -> None:
        self._directory = directory if isinstance(directory, WatchableDirectory) else None
        self._asked_to_stop = asked_to_stop
        self._nothing = Event()

    def until_needed(self, seconds: float) -> str:
        """Return why the next round is made."""
        end = monotonic() + seconds
        while (left := end - monotonic()) > 0 and not self._asked_to_stop():
            if self._is_told(min(left, _SLICE)):
                self._pause(_SETTLING)
                while self._is_told(0.01):  # what has come meanwhile is seen by the same round
                    pass
                return "change"
        return "time"

    def _is_told(self, seconds: float) -> bool:
        if self._directory is not None:
            try:
                return self._directory.wait_for_change(seconds)
            except AdzeguardError:
                self._pause(min(seconds, _SLICE))  # the round itself tells what is wrong with the server
                return False
        self._pause(seconds)
        return False

    def _pause(self, seconds: float) -> None:
        self._nothing.wait(seconds)
