"""An enactment that was begun and never ended: found again, to go on with or to end for good."""

from collections.abc import Mapping, Sequence
from dataclasses import field

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import UsageError
from adzeguard.core.values import dataclass
from adzeguard.store.journal import Journal
from adzeguard.workflows.journal_rows import change_of, outcome_of, proposal_in


@dataclass(frozen=True)
class Interrupted:
    """Its proposal, what became of some changes, and which were begun."""

    name: str
    proposal: Proposal
    outcomes: tuple[Outcome, ...]
    begun: Mapping[str, Change]
    """The changes that were written down as about to be made, by their ids, with what they keep of what they delete."""

    approval: Mapping[str, str] = field(default_factory=dict)
    """Who had said yes to it."""

    unattended: bool = False
    """Whether a round began it: the next one goes on with it by itself."""

    @property
    def left(self) -> Sequence[Change]:
        """The changes of which it is not known what became of them."""
        concluded = {outcome.change.id for outcome in self.outcomes}
        return [change for change in self.proposal.changes if change.id not in concluded]

    @property
    def in_words(self) -> str:
        """Return what there is to say of it, with both ways out."""
        count = len(self.left)
        left = f"{count} change{'s' * (count != 1)} left"
        return f"the enactment {self.name} was interrupted with {left}: {WAYS_OUT}"


WAYS_OUT = "adzeguard enact --resume goes on with it, adzeguard enact --drop ends it for good"


def interrupted_enactment(journal: Journal) -> Interrupted | None:
    """Return the last enactment that was begun and never ended, if there is one."""
    rows = journal.unfinished()
    if not rows:
        return None
    proposal = proposal_in(rows[0])
    told = (outcome_of(row, proposal.changes) for row in rows if row.kind == "outcome")
    outcomes = tuple({outcome.change.id: outcome for outcome in told}.values())
    begun = {change.id: change for change in (change_of(row) for row in rows if row.kind == "intent")}
    approval = rows[0].body.get("approval")
    said = {str(key): str(value) for key, value in approval.items()} if isinstance(approval, dict) else {}
    return Interrupted(rows[0].enactment, proposal, outcomes, begun, said, bool(rows[0].body.get("unattended")))


def the_interrupted(journal: Journal) -> Interrupted:
    """Return it; `UsageError` where none was interrupted."""
    found = interrupted_enactment(journal)
    if found is None:
        raise UsageError("no enactment was interrupted", "See: adzeguard journal")
    return found
