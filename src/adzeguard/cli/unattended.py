"""Changes that are made without anybody watching: past the same guards, and no size may be past its limit."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from adzeguard.cli.enacting import stopping
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.outcome import Outcome
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.workflows.interrupted import Interrupted


@dataclass(frozen=True, slots=True)
class Unattended:
    """What came of it: how many changes were made, what became of the others, or why nothing was begun."""

    made: int = 0
    not_made: tuple[str, ...] = ()
    refused: str = ""


def enact_unattended(workspace: Workspace, make: "Callable[[], Draft]", approved_by: str = "") -> Unattended:
    """Make a proposal and enact it. A guard that refuses it is told, and stops nothing else."""
    from adzeguard.workflows.propose import in_full

    return _enacted(workspace, lambda: in_full(make(), workspace.proposer), None, approved_by)


def go_on_unattended(workspace: Workspace, earlier: "Interrupted") -> Unattended:
    """Go on with what a round began and was killed over, past the guards as they judge what is left of it now."""
    from adzeguard.workflows.propose import weighed_again

    approved_by = earlier.approval.get("by", "")
    return _enacted(
        workspace, lambda: weighed_again(earlier.proposal, earlier.left, workspace.privilege), earlier, approved_by
    )


def _enacted(
    workspace: Workspace, make: "Callable[[], Proposal]", earlier: "Interrupted | None", approved_by: str
) -> Unattended:
    from adzeguard.core.change.guards.all import pass_guards
    from adzeguard.core.change.outcome import Status
    from adzeguard.core.errors import AdzeguardError
    from adzeguard.core.limits import NOTHING_NAMED
    from adzeguard.workflows.enact import enact_proposal
    from adzeguard.workflows.run import Ports

    def quietly(_outcome: "Outcome") -> None:
        return

    about: dict[str, object] = {"unattended": True}
    if approved_by:
        about["approval"] = {"by": approved_by}
    try:
        proposal = make()
        if not proposal.changes and earlier is None:
            return Unattended()
        if proposal.changes:
            pass_guards(workspace.case(proposal, NOTHING_NAMED, approved_by))
        whole = earlier.proposal if earlier is not None else proposal
        with (
            workspace.directory() as directory,
            workspace.hosts() as hosts,
            workspace.servers_of(whole.changes) as shares,
            stopping() as asked_to_stop,
        ):
            ports = Ports(
                directory,
                hosts,
                workspace.store,
                workspace.journal,
                workspace.now,
                workspace.operator(),
                asked_to_stop,
                shares=shares,
            )
            enacted = enact_proposal(whole, workspace.estate, workspace.charter, ports, quietly, earlier, about)
    except AdzeguardError as error:
        return Unattended(refused=str(error))
    finally:
        workspace.look_anew()
    made = [one for one in enacted.outcomes if one.status == Status.VERIFIED]
    others = tuple(
        f"{one.change.in_words()}: {one.status}{f', {one.detail}' if one.detail else ''}"
        for one in enacted.outcomes
        if one.status != Status.VERIFIED and not one.already
    )
    return Unattended(len(made), others)
