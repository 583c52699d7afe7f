"""The last part of every command that changes something: proposal, guards, summary, question, enact, outcome."""

import sys
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from itertools import count
from pathlib import Path
from signal import SIGINT, SIGTERM, signal
from threading import Event
from typing import TYPE_CHECKING, Final

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.options import Answers
from adzeguard.cli.output import put, put_view, say
from adzeguard.cli.progress import progress_bar
from adzeguard.core.errors import DeclinedError, UsageError
from adzeguard.workflows.pace import Pace
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.outcome import Outcome
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.workflows.enact import Enacted
    from adzeguard.workflows.interrupted import Interrupted


BROKEN_GLASS: Final = "nobody"
"""Who has said yes where glass was broken."""
_FAILURES: Final = ("unreachable", "refused", "differs")
_HOSTS_NAMED: Final = 8


@dataclass(frozen=True)
class Rollout:
    """How an enactment goes over many hosts: how fast, and after how many failed hosts nothing more is begun."""

    stop_after: int | None = None
    pace: Pace = field(default_factory=Pace)
    workers: str = ""
    """The cluster that works with the hosts, if one does."""


def enact_draft(workspace: Workspace, make: "Callable[[], Draft]", answers: Answers, approved_by: str = "") -> int:
    """Make a proposal of what somebody asks for by hand, and enact it. Returns the exit code."""
    from adzeguard.workflows.propose import in_full

    def approval(_proposal: "Proposal") -> Mapping[str, str]:
        return {"by": approved_by} if approved_by else {}

    return enact_and_show(workspace, lambda: in_full(make(), workspace.proposer), answers, approval=approval)


def enact_and_show(
    workspace: Workspace,
    make: "Callable[[], Proposal]",
    answers: Answers,
    *,
    beside_interrupted: bool = True,
    rollout: "Rollout | None" = None,
    approval: "Callable[[Proposal], Mapping[str, str]] | None" = None,
) -> int:
    """Make a proposal and enact it. Returns the exit code.

    The proposal is made within the lock, so that nothing changes between its guards and its changes. Another enactment
    that was interrupted is told of and never gone on with unasked; `beside_interrupted` says whether this goes on.
    `approval` says who has said yes to the proposal, with what proves it; nothing where nobody has.
    """
    from adzeguard.workflows.interrupted import interrupted_enactment

    with workspace.held("enact"):
        earlier = interrupted_enactment(workspace.journal)
        if earlier is not None and not beside_interrupted:
            raise UsageError(f"nothing was changed, since {earlier.in_words}")
        if earlier is not None:
            say(f"Beside this, {earlier.in_words}")
        proposal = make()
        if answers.only_propose is not None:
            return _only_propose(workspace, proposal, answers.only_propose)
        answers = _with_deletions_named(proposal, answers)
        approved = (approval(proposal) if approval is not None else {}) or _broken_glass(workspace, answers)
        _judge(workspace, proposal, answers, approved)
        return _run(workspace, proposal, answers, None, rollout or Rollout(), approved)


def _only_propose(workspace: Workspace, proposal: "Proposal", file: Path) -> int:
    from adzeguard.cli.propose import write_proposal
    from adzeguard.core.change.guards.all import pass_guards_when_made
    from adzeguard.core.limits import NOTHING_NAMED
    from adzeguard.workflows.propose import Proposed

    past_limits = tuple(pass_guards_when_made(workspace.case(proposal, NOTHING_NAMED)))
    write_proposal(Proposed(proposal, past_limits), file)
    for reason in past_limits:
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if proposal.changes else Exit.NOTHING_TO_REPORT


def _broken_glass(workspace: Workspace, answers: Answers) -> "Mapping[str, str]":
    """Return what stands for a yes where somebody cannot wait for one; `UsageError` where the workspace forbids it."""
    if not answers.without_approval.strip():
        return {}
    if not workspace.settings.approval.without:
        raise UsageError(
            "nothing is enacted here without approval", "Let somebody else run: adzeguard approve PROPOSAL"
        )
    return {"by": BROKEN_GLASS, "why": answers.without_approval}


def _tell_owners(workspace: Workspace, proposal: "Proposal", approved: "Mapping[str, str]") -> None:
    """Tell every owner at once that glass is broken, before anything is changed; what cannot be told is kept."""
    from adzeguard.store.letters import Letters, keep_letters
    from adzeguard.workflows.asking import alarms
    from adzeguard.workflows.telling import tell_waiting

    with workspace.tellers() as tellers:
        owner = workspace.settings.questions.owner
        letters = alarms(workspace.written_charter, tellers, owner, workspace.operator(), approved["why"], proposal)
        if letters:
            with workspace.database.writing() as connection:
                keep_letters(connection, letters, workspace.now())
        told = tell_waiting(Letters(workspace.database), tellers)
    kept = f", {told.untold} are kept and tried again" if told.untold else ""
    say(f"Glass is broken: {approved['why']}. Letters to owners: {told.told} told{kept}.")


def resume_and_show(workspace: Workspace, answers: Answers, rollout: "Rollout") -> int:
    """Go on with the enactment that was interrupted, past the guards as they judge what is left of it now."""
    from adzeguard.workflows.interrupted import the_interrupted
    from adzeguard.workflows.propose import weighed_again

    with workspace.held("enact"):
        earlier = the_interrupted(workspace.journal)
        say(f"Going on with {earlier.name}: {len(earlier.left)} of {len(earlier.proposal.changes)} changes are left")
        left = weighed_again(earlier.proposal, earlier.left, workspace.privilege)
        _judge(workspace, left, answers, earlier.approval)
        return _run(workspace, left, answers, earlier, rollout, earlier.approval)


def drop_and_show(workspace: Workspace, answers: Answers) -> int:
    """End the enactment that was interrupted for good, and say what stands of it."""
    from adzeguard.core.change.outcome import Outcome
    from adzeguard.core.views.changes import outcomes_table
    from adzeguard.workflows.enact import drop_enactment
    from adzeguard.workflows.interrupted import the_interrupted
    from adzeguard.workflows.run import Ports

    def quietly(_outcome: Outcome) -> None:
        return

    with workspace.held("enact"):
        earlier = the_interrupted(workspace.journal)
        with (
            workspace.directory() as directory,
            workspace.hosts() as hosts,
            workspace.servers_of(earlier.left) as shares,
        ):
            ports = Ports(
                directory, hosts, workspace.store, workspace.journal, workspace.now, workspace.operator(), shares=shares
            )
            dropped = drop_enactment(earlier, workspace.estate, ports, quietly)
        say(f"{earlier.name} is ended. What was made of it stands; take it back with: adzeguard undo {earlier.name}")
        put_view(outcomes_table(dropped.outcomes), answers.form)
    return Exit.NOTHING_TO_REPORT


def _judge(workspace: Workspace, proposal: "Proposal", answers: Answers, approved: "Mapping[str, str]") -> None:
    from adzeguard.core.change.guards.all import pass_guards

    if proposal.changes:
        pass_guards(workspace.case(proposal, answers.sizes, approved.get("by", "")))


def _with_deletions_named(proposal: "Proposal", answers: Answers) -> Answers:
    """Ask for the number of deletions on a terminal, where it was not given: it must be typed, not clicked away."""
    from adzeguard.core.change.kinds.delete_object import DeleteObject

    deletions = sum(isinstance(change, DeleteObject) for change in proposal.changes)
    if deletions <= 1 or answers.deletions is not None or answers.yes or not sys.stdin.isatty():
        return answers
    for change in proposal.changes:
        say(change.in_words())
    return replace(answers, deletions=click.prompt("How many objects are deleted?", type=int, err=True))


def _run(
    workspace: Workspace,
    proposal: "Proposal",
    answers: Answers,
    earlier: "Interrupted | None",
    rollout: "Rollout",
    approved: "Mapping[str, str]",
) -> int:
    from adzeguard.core.change.outcome import Outcome
    from adzeguard.core.views.changes import outcomes_table, proposal_page
    from adzeguard.workflows.enact import enact_proposal
    from adzeguard.workflows.look_again import look_again
    from adzeguard.workflows.run import Ports

    form = answers.form
    if form == "table" or not answers.yes:
        put_view(proposal_page(proposal), "table")
    if not proposal.changes and earlier is None:
        if form != "table":
            put_view(outcomes_table([]), form)
        return Exit.NOTHING_TO_REPORT
    if not answers.yes and proposal.changes:
        _ask(len(proposal.changes))
    if approved.get("by") == BROKEN_GLASS and earlier is None:
        _tell_owners(workspace, proposal, approved)
    with (
        workspace.directory() as directory,
        workspace.hosts() as hosts,
        workspace.servers_of(proposal.changes) as shares,
        progress_bar() as progress,
        stopping() as asked_to_stop,
    ):
        if look_again(directory, workspace.store, workspace.estate, proposal.changes, workspace.now()):
            workspace.look_anew()
            say("Groups that decide here have changed since the last collection; the guards judge by what stands now")
            _judge(workspace, proposal, answers, approved)
        failing = _Failing(rollout.stop_after)

        def is_to_stop() -> bool:
            return asked_to_stop() or failing.are_too_many

        ports = Ports(
            directory,
            hosts,
            workspace.store,
            workspace.journal,
            workspace.now,
            workspace.operator(),
            is_to_stop,
            rollout.pace,
            workspace.crew(rollout.workers),
            shares,
        )
        done = count(1)

        def report(outcome: Outcome) -> None:
            failing.note(outcome)
            progress("changes", next(done), len(proposal.changes))

        whole = earlier.proposal if earlier is not None else proposal
        enacted = enact_proposal(
            whole,
            workspace.estate,
            workspace.charter,
            ports,
            report,
            earlier,
            {"approval": dict(approved)} if approved else {},
        )
    if form == "table":
        put("\n")
    put_view(outcomes_table(enacted.outcomes), form)
    return _told(enacted, failing)


def _told(enacted: "Enacted", failing: "_Failing") -> int:
    """Say what is left, and return the exit code."""
    from adzeguard.core.change.outcome import Status
    from adzeguard.workflows.interrupted import WAYS_OUT

    if enacted.left:
        if failing.are_too_many:
            names = ", ".join(sorted(failing.names)[:_HOSTS_NAMED])
            say(f"{len(failing.names)} hosts have failed, more than {failing.most}: {names}")
        say(f"Stopped with {enacted.left} change{'s' * (enacted.left != 1)} left: {WAYS_OUT}")
        return Exit.DONE_IN_PART
    waiting = {outcome.change.host_name for outcome in enacted.outcomes if outcome.waits}
    if waiting:
        them = f"{len(waiting)} hosts" if len(waiting) > 1 else next(iter(waiting))
        say(f"What is left for {them} is done, once it can be, by: adzeguard enact --pending")
    verified = sum(outcome.status == Status.VERIFIED for outcome in enacted.outcomes)
    if verified == len(enacted.outcomes):
        return Exit.NOTHING_TO_REPORT
    return Exit.DONE_IN_PART if verified else Exit.FAILED


@dataclass
class _Failing:
    """The hosts on which something could not be made, and how many may fail before nothing more is begun."""

    most: int | None
    names: set[str] = field(default_factory=set)

    def note(self, outcome: "Outcome") -> None:
        """Take in what became of a change."""
        if outcome.change.host_name and outcome.status in _FAILURES:
            self.names.add(outcome.change.host_name)

    @property
    def are_too_many(self) -> bool:
        """Whether more have failed than may."""
        return self.most is not None and len(self.names) > self.most


@contextmanager
def stopping() -> "Iterator[Callable[[], bool]]":
    """Let Ctrl-C, or whoever ends the process, end it after what is in hand; give what tells of it."""
    asked = Event()

    def ask(_signal: int, _frame: object) -> None:
        if not asked.is_set():
            say("Stopping after what is in hand")
        asked.set()

    before = {which: signal(which, ask) for which in (SIGINT, SIGTERM)}
    try:
        yield asked.is_set
    finally:
        for which, handler in before.items():
            signal(which, handler)


def _ask(count: int) -> None:
    if not sys.stdin.isatty():
        raise UsageError(
            f"nothing was changed: {count} change{'s wait' if count != 1 else ' waits'} for a yes, and there is no "
            "terminal to ask on",
            "Give --yes",
        )
    if not click.confirm(f"Make {'this change' if count == 1 else f'these {count} changes'}?", default=False):
        raise DeclinedError("nothing was done")
