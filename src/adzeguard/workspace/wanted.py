"""What somebody wants to be enacted, who goes along, and what became of it."""

from collections.abc import Callable, Sequence
from contextlib import AbstractContextManager, nullcontext
from dataclasses import field
from typing import TYPE_CHECKING, Protocol

from adzeguard.core.limits import NOTHING_NAMED, NamedSizes
from adzeguard.core.values import dataclass
from adzeguard.workflows.pace import Pace

if TYPE_CHECKING:
    from adzeguard.core.change.change import Change
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.outcome import Outcome
    from adzeguard.core.change.proposal import Proposal


@dataclass(frozen=True)
class Rollout:
    """How an enactment goes over many hosts: how fast, and after how many failed hosts nothing more is begun."""

    stop_after: int | None = None
    pace: Pace = field(default_factory=Pace)
    workers: str = ""
    """The cluster that works with the hosts, if one does."""


@dataclass(frozen=True, slots=True)
class Signed:
    """The bytes of a proposal's file, and the signature beside it."""

    content: bytes
    signature: str


@dataclass(frozen=True)
class Wanted:
    """What somebody wants to be enacted, and what they say beforehand."""

    make: "Callable[[], Draft | Proposal]"
    """Gives what is to be changed, once the workspace is held. A proposal is weighed again."""
    part: "Callable[[Proposal], Sequence[Change]] | None" = None
    """Chooses which of the changes are made; all of them where there is nothing to choose."""
    sizes: NamedSizes = NOTHING_NAMED
    signed: Callable[[], Signed | None] = lambda: None
    """Gives the approval of a proposal that came from a file, if it has one."""
    without_approval: str = ""
    """Why it cannot wait for somebody else's yes."""
    gives_back: bool = False
    """Whether it takes away what a lease gave, which was approved with its end."""
    beside_interrupted: bool = True
    """Whether it goes on beside an enactment that was interrupted."""
    unattended: bool = False
    why: str = ""
    """Why, beside the reasons of the changes."""
    rollout: Rollout = field(default_factory=Rollout)


class Work(Protocol):
    """Something that is written down beside what is changed: before, and by what came of it afterwards."""

    def draft(self) -> "Draft":
        """Return the changes, once the workspace is held; note what must be known if it ends in the middle."""

    def settle(self) -> None:
        """Note what came of it."""


class Escort:
    """Who goes along: asked before anything is written, and told of each outcome. This one says yes and is silent."""

    def sizes(self, proposal: "Proposal", named: NamedSizes) -> NamedSizes:  # noqa: ARG002 - others ask
        """Return the sizes that are named, asked for where they can be."""
        return named

    def agree(self, proposal: "Proposal") -> None:
        """Return quietly where it may be enacted; `DeclinedError` where not."""

    def outcome(self, outcome: "Outcome", of: int) -> None:
        """Take what became of one change of so many."""

    def at_work(self) -> AbstractContextManager[Callable[[], bool]]:
        """Enclose the writing; give what tells whether to stop after the change in hand."""
        return nullcontext(lambda: False)


@dataclass(frozen=True, slots=True)
class Done:
    """What became of the changes, how many are left, and the hosts on which something failed."""

    outcomes: "Sequence[Outcome]" = ()
    left: int = 0
    failed_hosts: tuple[str, ...] = ()
    too_many_failed: bool = False

    @property
    def verified(self) -> int:
        """How many changes were made and read back as wanted."""
        return sum(outcome.status == "verified" for outcome in self.outcomes)

    @property
    def waiting_hosts(self) -> set[str]:
        """The hosts for which something is left until they answer."""
        return {outcome.change.host_name for outcome in self.outcomes if outcome.waits}


def deletions(proposal: "Proposal") -> int:
    """Return how many objects a proposal deletes."""
    from adzeguard.core.change.kinds.create_object import DeleteObject

    return sum(isinstance(change, DeleteObject) for change in proposal.changes)


def nothing_asked() -> "Draft":
    """Stand in for what is wanted, where an earlier enactment says it."""
    from adzeguard.core.change.draft import Draft

    return Draft.of(())
