"""What is left for hosts that did not answer."""

from collections.abc import Sequence
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING

from adzeguard.core.change.draft import Draft
from adzeguard.core.views.hosts import pending_table
from adzeguard.core.views.table import Table
from adzeguard.store.pending import Pending, PendingChanges
from adzeguard.workflows.pending import still_asked_for

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def still_wanted(workspace: "Workspace") -> Draft:
    """Return what is left for hosts that did not answer, as far as somebody still asks for it."""
    waiting = PendingChanges(workspace.database)
    left = [one.change for one in waiting.all()]
    asked = workspace.charter_draft(tuple(sorted({change.rule for change in left})))
    still, not_any_more = still_asked_for(left, asked)
    if not_any_more:
        waiting.forget(not_any_more)
        for change in not_any_more:
            workspace.frontend.say(f"Left away, since no rule asks for it any more: {change.in_words()}")
    return still


def left_for_hosts(workspace: "Workspace", patterns: Sequence[str] = ()) -> Table:
    """Return what is left for hosts of these names, or for all."""
    return _table(workspace, _fitting(workspace, patterns))


def forgotten(workspace: "Workspace", patterns: Sequence[str] = ()) -> Table:
    """Forget what is left for hosts of these names, or for all, and return it."""
    with workspace.held("forget"):
        left = _fitting(workspace, patterns)
        PendingChanges(workspace.database).forget(one.change for one in left)
    are = f"{len(left)} change{'s are' if len(left) != 1 else ' is'}"
    workspace.frontend.say(f"{are} forgotten; what a rule asks for is proposed anew")
    return _table(workspace, left)


def _fitting(workspace: "Workspace", patterns: Sequence[str]) -> list[Pending]:
    wanted = [pattern.casefold() for pattern in patterns] or ["*"]
    everything = PendingChanges(workspace.database).all()
    return [one for one in everything if any(fnmatchcase(one.change.host_name.casefold(), w) for w in wanted)]


def _table(workspace: "Workspace", left: Sequence[Pending]) -> Table:
    return pending_table([(one.change, one.since, one.tries, one.detail) for one in left], workspace.now())
