"""Changes that are made without anybody watching: past the same guards, and no size may be past its limit."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from adzeguard.cli.desk import Desk
from adzeguard.cli.enacting import stopping

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.outcome import Outcome


@dataclass(frozen=True, slots=True)
class Unattended:
    """What came of it: how many changes were made, what became of the others, or why nothing was begun."""

    made: int = 0
    not_made: tuple[str, ...] = ()
    refused: str = ""


def enact_unattended(desk: Desk, make: "Callable[[], Draft]") -> Unattended:
    """Make a proposal and enact it. A guard that refuses it is told, and stops nothing else."""
    from adzeguard.core.change.guards.all import pass_guards
    from adzeguard.core.change.outcome import Status
    from adzeguard.core.errors import AdzeguardError
    from adzeguard.core.limits import NOTHING_NAMED
    from adzeguard.workflows.enact import enact_proposal
    from adzeguard.workflows.propose import in_full
    from adzeguard.workflows.run import Ports

    def quietly(_outcome: "Outcome") -> None:
        return

    try:
        proposal = in_full(make(), desk.proposer)
        if not proposal.changes:
            return Unattended()
        pass_guards(desk.case(proposal, NOTHING_NAMED))
        with desk.directory() as directory, desk.hosts() as hosts, stopping() as asked_to_stop:
            ports = Ports(directory, hosts, desk.store, desk.journal, desk.now, desk.operator(), asked_to_stop)
            enacted = enact_proposal(proposal, desk.estate, desk.charter, ports, quietly)
    except AdzeguardError as error:
        return Unattended(refused=str(error))
    finally:
        desk.look_anew()
    made = [one for one in enacted.outcomes if one.status == Status.VERIFIED]
    others = tuple(
        f"{one.change.in_words()}: {one.status}{f', {one.detail}' if one.detail else ''}"
        for one in enacted.outcomes
        if one.status != Status.VERIFIED and not one.already
    )
    return Unattended(len(made), others)
