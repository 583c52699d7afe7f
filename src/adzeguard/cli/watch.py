"""adzeguard watch."""

import json
from collections.abc import Callable
from contextlib import ExitStack
from datetime import datetime, timedelta
from pathlib import Path
from random import SystemRandom
from threading import Event
from time import monotonic
from typing import TYPE_CHECKING, Any, Final

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import put, say
from adzeguard.cli.round import one_round
from adzeguard.workspace.open_workspace import Workspace
from adzeguard.workspace.stopping import stopping

if TYPE_CHECKING:
    from adzeguard.directory.port import DirectoryDriver

_JITTER: Final = 0.1
"""Of many workspaces that were started together not all should ask at once."""
_LOT: Final = SystemRandom()
_SLICE: Final = 1.0
"""Seconds after which a wait looks whether it is to end."""
_SETTLING: Final = 2.0
"""Seconds between a change and its round: changes come several at a time."""
_AGAIN: Final = 15.0
"""Seconds until the next round after one that failed or left a lease that is over; twice as long each time after."""


@click.command("watch", epilog=example("adzeguard watch --rounds 1"))
@click.option("--every", type=click.IntRange(1, 1440), default=15, show_default=True, help="Minutes between rounds.")
@click.option("--rounds", type=click.IntRange(1), metavar="N", help="End after N rounds.")
@workspace_option
def command(every: int, rounds: int | None, folder: Path | None) -> int:
    """Go on making rounds: every so many minutes, and at once when the directory says that something has changed.

    Ends after the round in hand at Ctrl-C or SIGTERM. Writes one line of JSON a round: at, because, and what adzeguard
    round says, or error. A round that fails is told, and the next one is made all the same.
    """
    from adzeguard.core.errors import AdzeguardError

    workspace = opened(folder)
    _announce(workspace, every)
    done = 0
    with stopping(say) as asked_to_stop, ExitStack() as open_:
        waiting = _Waiting(open_.enter_context(workspace.directory()), asked_to_stop)
        because = "begin"
        in_vain = 0
        while not asked_to_stop():
            # The settings and the charter may have been changed since the last one.
            now = opened(folder)
            line: dict[str, Any] = {"at": now.now().isoformat(), "because": because}
            try:
                line |= one_round(now)
            except AdzeguardError as error:
                line["error"] = str(error)
            put(json.dumps(line, default=_plain) + "\n")
            done += 1
            if done == rounds:
                break
            pause = every * 60 * _LOT.uniform(1 - _JITTER, 1 + _JITTER)
            needed = _until_needed(now, pause)
            in_vain = in_vain + 1 if "error" in line or _is_late(now) else 0
            if in_vain:
                # Who holds a lease that is over has what nobody gives them any more: a quarter of an hour is too long.
                needed = min(needed, _AGAIN * 2 ** min(in_vain - 1, 16))
            now.close()
            because = waiting.until_needed(needed)
    return Exit.NOTHING_TO_REPORT


def _plain(value: Any) -> str:
    return value.isoformat() if isinstance(value, datetime) else str(value)


def _announce(workspace: Workspace, every: int) -> None:
    rules = [rule for rule in workspace.written_charter.rules if rule.enabled]
    mending = [rule.id for rule in rules if (rule.response or workspace.settings.response) == "mend"]
    from adzeguard.core.wording import some_of

    say(f"A round every {every} minutes, and when the directory says that something changed. By itself it ends leases,")
    say(f"begins shifts, and mends what {len(mending)} rules say: {some_of(mending) or 'none'}.")
    say(f"It changes nothing else: of {len(rules) - len(mending)} rules the owners are asked, {_told_by(workspace)};")
    say("what a guard refuses is left, and told.")


def _told_by(workspace: Workspace) -> str:
    ways = [one.name for one in workspace.settings.tell]
    return f"by {' and '.join(ways)}" if ways else "in adzeguard questions alone, since [tell] names no way"


def _until_needed(workspace: Workspace, longest: float) -> float:
    """Return in how many seconds a lease ends, a shift begins or a waiver is over, at most so many."""
    from adzeguard.core.time.shift import stretches
    from adzeguard.store.leases import Leases
    from adzeguard.store.questions import Waivers
    from adzeguard.store.shifts import Shifts

    now = workspace.now()
    then = now + timedelta(seconds=longest)
    moments = [one.until for one in Leases(workspace.database).all() if one.is_open]
    moments += [one.until for one in Waivers(workspace.database).all() if one.holds(now)]
    for shift in Shifts(workspace.database).all():
        moments += [one.begin for one in stretches(shift, now, then)] if shift.ended is None else []
    left = min(((one - now).total_seconds() for one in moments if one > now), default=longest)
    return min(longest, max(left, _SETTLING))


def _is_late(workspace: Workspace) -> bool:
    from adzeguard.store.leases import Leases

    now = workspace.now()
    return any(one.is_open and one.until <= now for one in Leases(workspace.database).all())


class _Waiting:
    """Waits for the next round: for a time to pass, or for the directory to say that something changed."""

    def __init__(self, directory: "DirectoryDriver", asked_to_stop: Callable[[], bool]) -> None:
        from adzeguard.directory.port import WatchableDirectory

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
        from adzeguard.core.errors import AdzeguardError

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
