"""One enactment as it goes on: what is written to, what is written down of it, and what became of its changes."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import field, replace
from datetime import datetime
from threading import Lock
from typing import Any, Final, NoReturn

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.values import dataclass
from adzeguard.directory.port import DirectoryDriver
from adzeguard.hosts.executor import Judge, no_harm
from adzeguard.hosts.fleet import Fleet
from adzeguard.hosts.worker_pool import WorkerPool
from adzeguard.shares.port import SharesDriver
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.journal import Journal
from adzeguard.workflows.pace import Pace

Report = Callable[[Outcome], None]
"""Is given each outcome as it comes about."""


class _Untouched:
    """Stands in for what an enactment has nothing to write to."""

    def __getattr__(self, name: str) -> NoReturn:
        raise AttributeError(f"this enactment was given nothing that has {name}")


UNTOUCHED: Final[Any] = _Untouched()


@dataclass(frozen=True)
class Ports:
    """What is written to, and where that is written down."""

    directory: DirectoryDriver
    hosts: Fleet
    store: EstateStore
    journal: Journal
    clock: Callable[[], datetime]
    operator: str
    stopping: Callable[[], bool] = lambda: False
    """Whether the operator has asked to stop: the change in hand is finished, and no other begun."""
    pace: Pace = field(default_factory=Pace)
    """How many hosts are changed at once, and how many a minute."""
    crew: WorkerPool | None = None
    """Other processes that change hosts, if there are any."""
    shares: Mapping[str, SharesDriver] = field(default_factory=dict)
    """The servers of file shares that can be written to, by their folded names."""


@dataclass
class Run:
    """One enactment: its journal rows and its outcomes. `begun` are changes that an earlier try may have made."""

    ports: Ports
    name: str
    report: Report
    outcomes: list[Outcome] = field(default_factory=list)
    begun: frozenset[str] = frozenset()
    intended: dict[str, Change] = field(default_factory=dict)
    """The changes as they were written down, with what they keep of an object that is deleted."""
    lock: Lock = field(default_factory=Lock)
    judge: Judge = no_harm

    def write(self, kind: str, body: dict[str, Any], outcome: Outcome | None = None) -> None:
        """Write a row of this enactment into the journal."""
        with self.lock:
            self.ports.journal.append(kind, self.name, body, self.ports.clock(), self.ports.operator, outcome)

    def intend(self, change: Change) -> None:
        """Write down that a change is about to be made."""
        with self.lock:
            self.intended[change.id] = change
        self.write("intent", {"change": change.model_dump(mode="json")})

    def settle(self, outcome: Outcome) -> None:
        """Say of a change that was told otherwise what became of it."""
        with self.lock:
            self.outcomes[:] = [one for one in self.outcomes if one.change.id != outcome.change.id]
        self._note(outcome)

    def end(self) -> None:
        """Write down that nothing of it is left."""
        self.write("end", dict(Counter(outcome.status.value for outcome in self.outcomes)))

    def in_order(self) -> tuple[Outcome, ...]:
        """Return the outcomes in the order of the changes."""
        return tuple(sorted(self.outcomes, key=lambda outcome: outcome.change.id))

    def left(self, changes: Iterable[Change]) -> list[Change]:
        """Return those of the changes of which it is not known what became of them."""
        concluded = {outcome.change.id for outcome in self.outcomes}
        return [change for change in changes if change.id not in concluded]

    def conclude(self, outcome: Outcome) -> None:
        """Write down what became of a change."""
        self._note(outcome)
        self.report(outcome)

    def _note(self, outcome: Outcome) -> None:
        if outcome.already and outcome.change.id in self.begun:
            outcome = Outcome(outcome.change, Status.VERIFIED, "found done after an interruption")
        elif outcome.already and outcome.change.takes_over:
            self.intend(outcome.change)  # so that the journal tells it, from which put-ins are gathered
            outcome = Outcome(outcome.change, Status.VERIFIED, "stood before, and is the rule's from now on")
        body = {"change": outcome.change.id, "status": outcome.status, "detail": outcome.detail}
        as_intended = replace(outcome, change=self.intended.get(outcome.change.id, outcome.change))
        self.write("outcome", body, as_intended)
        with self.lock:
            self.outcomes.append(outcome)
