"""What is made without anybody watching: on the same road, and no size may be past its limit."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from adzeguard.core.change.outcome import Status
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.values import dataclass
from adzeguard.workspace.road import enact, resume
from adzeguard.workspace.stopping import stopping
from adzeguard.workspace.wanted import Done, Escort, Wanted, nothing_asked

if TYPE_CHECKING:
    from contextlib import AbstractContextManager

    from adzeguard.core.change.draft import Draft
    from adzeguard.workspace.open_workspace import Workspace


@dataclass(frozen=True, slots=True)
class Unattended:
    """What came of it: how many changes were made, what became of the others, or why nothing was begun."""

    made: int = 0
    not_made: tuple[str, ...] = ()
    refused: str = ""


def enact_unattended(workspace: "Workspace", make: "Callable[[], Draft]", *, gives_back: bool = False) -> Unattended:
    """Make a proposal and enact it. A guard that refuses it is told, and stops nothing else."""
    wanted = Wanted(make, gives_back=gives_back, unattended=True)
    return _told(workspace, lambda: enact(workspace, wanted, _Alone(workspace)))


def go_on_unattended(workspace: "Workspace") -> Unattended:
    """Go on with what a round began and was killed over, past the guards as they judge what is left of it now."""
    return _told(workspace, lambda: resume(workspace, Wanted(nothing_asked, unattended=True), _Alone(workspace)))


class _Alone(Escort):
    def __init__(self, workspace: "Workspace") -> None:
        self._workspace = workspace

    def at_work(self) -> "AbstractContextManager[Callable[[], bool]]":
        return stopping(self._workspace.frontend.say)


def _told(workspace: "Workspace", go: Callable[[], Done]) -> Unattended:
    try:
        done = go()
    except AdzeguardError as error:
        return Unattended(refused=str(error))
    finally:
        workspace.look_anew()
    made = sum(one.status == Status.VERIFIED for one in done.outcomes)
    others = tuple(
        f"{one.change.in_words()}: {one.status}{f', {one.detail}' if one.detail else ''}"
        for one in done.outcomes
        if one.status != Status.VERIFIED and not one.already
    )
    return Unattended(made, others)
