"""Notes of a workspace, changed on the road of every write: with guards, approvals, a row in the journal, and undo."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from adzeguard.core.change.draft import Draft
from adzeguard.core.change.outcome import Status
from adzeguard.core.errors import UsageError
from adzeguard.workspace.road import enact
from adzeguard.workspace.wanted import Wanted

if TYPE_CHECKING:
    from adzeguard.core.change.kinds.set_note import SetNote
    from adzeguard.workspace.open_workspace import Workspace


def note(workspace: "Workspace", make: "Callable[[], Sequence[SetNote]]", without_approval: str = "") -> None:
    """Make these changes of notes, which are made up once the workspace is held.

    `GuardError` where somebody else must say yes, `UsageError` where a note is another one by now.
    """
    done = enact(workspace, Wanted(lambda: Draft.of(make()), without_approval=without_approval))
    for outcome in done.outcomes:
        if outcome.status != Status.VERIFIED and not outcome.already:
            raise UsageError(f"nothing was noted: {outcome.detail}", "Run this again")
