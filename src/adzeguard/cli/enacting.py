"""The last part of every command that changes something: the road, with a person at a terminal as its escort."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING, Final

import click

from adzeguard.cli.agreeing import agree
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import Answers
from adzeguard.cli.output import put, put_view, say
from adzeguard.cli.progress import progress_bar
from adzeguard.workspace.open_workspace import Workspace
from adzeguard.workspace.stopping import stopping
from adzeguard.workspace.wanted import Done, Escort, Rollout, Signed, Wanted, Work, deletions, nothing_asked

if TYPE_CHECKING:
    from collections.abc import Sequence

    from adzeguard.core.change.change import Change
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.outcome import Outcome
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.core.limits import NamedSizes

_HOSTS_NAMED: Final = 8


def enact_draft(
    workspace: Workspace, make: "Callable[[], Draft]", answers: Answers, *, gives_back: bool = False
) -> int:
    """Make a proposal of what somebody asks for by hand, and enact it. Returns the exit code."""
    wanted = Wanted(make, sizes=answers.sizes, without_approval=answers.without_approval, gives_back=gives_back)
    return _enact_and_show(workspace, wanted, answers)


def enact_work(workspace: Workspace, work: Work, answers: Answers) -> int:
    """Enact the draft of some work, and let it note what came of it, however that ended. Returns the exit code."""
    try:
        return enact_draft(workspace, work.draft, answers)
    finally:
        if answers.only_propose is None:
            work.settle()


def enact_and_show(
    workspace: Workspace,
    make: "Callable[[], Draft | Proposal]",
    answers: Answers,
    rollout: Rollout,
    part: "Callable[[Proposal], Sequence[Change]] | None",
    signed: Callable[[], Signed | None],
    why: str = "",
) -> int:
    """Make a proposal of the charter or of a file, or of a part of it, and enact it. Returns the exit code."""
    wanted = Wanted(
        make,
        part,
        answers.sizes,
        signed,
        answers.without_approval,
        beside_interrupted=False,
        rollout=rollout,
        why=why,
    )
    return _enact_and_show(workspace, wanted, answers)


def resume_and_show(workspace: Workspace, answers: Answers, rollout: Rollout) -> int:
    """Go on with the enactment that was interrupted. Returns the exit code."""
    wanted = Wanted(nothing_asked, sizes=answers.sizes, rollout=rollout)
    from adzeguard.workspace.road import resume

    escort = _AtTerminal(answers)
    return _shown(resume(workspace, wanted, escort), answers, rollout, escort)


def drop_and_show(workspace: Workspace, answers: Answers) -> int:
    """End the enactment that was interrupted for good, and say what stands of it."""
    from adzeguard.core.views.changes import outcomes_table
    from adzeguard.workspace.road import drop

    name, dropped = drop(workspace)
    say(f"{name} is ended. What was made of it stands; take it back with: adzeguard undo {name}")
    put_view(outcomes_table(dropped.outcomes), answers.form)
    return Exit.NOTHING_TO_REPORT


def _enact_and_show(workspace: Workspace, wanted: Wanted, answers: Answers) -> int:
    from adzeguard.workspace.road import enact

    if answers.only_propose is not None:
        return _only_propose(workspace, wanted, answers.only_propose)
    escort = _AtTerminal(answers)
    return _shown(enact(workspace, wanted, escort), answers, wanted.rollout, escort)


def _only_propose(workspace: Workspace, wanted: Wanted, file: Path) -> int:
    from adzeguard.cli.propose import write_proposal
    from adzeguard.workspace.road import only_propose

    with workspace.in_one_moment():
        proposed = only_propose(workspace, wanted)
    write_proposal(proposed, file)
    for reason in proposed.past_limits:
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if proposed.proposal.changes else Exit.NOTHING_TO_REPORT


class _AtTerminal(Escort):
    """Shows the proposal, asks whether it is meant, and shows how far it is."""

    def __init__(self, answers: Answers) -> None:
        self._answers = answers
        self._done = count(1)
        self._progress: Callable[[str, int, int | None], None] | None = None
        self.has_gone = False
        """Whether there was anything to make."""

    def sizes(self, proposal: "Proposal", named: "NamedSizes") -> "NamedSizes":
        """Ask for the number of deletions, where it was not given: it must be typed, not clicked away."""
        from dataclasses import replace

        if deletions(proposal) <= 1 or named.deletions is not None or self._answers.yes or not sys.stdin.isatty():
            return named
        for change in proposal.changes:
            say(change.in_words())
        return replace(named, deletions=click.prompt("How many objects are deleted?", type=int, err=True))

    def agree(self, proposal: "Proposal") -> None:
        """Show what would be made, and ask."""
        from adzeguard.core.views.changes import proposal_page

        if proposal.changes and all(change.is_note for change in proposal.changes):
            return  # the command says itself what it has noted, and undo takes it back
        if self._answers.form == "table" or not self._answers.yes:
            put_view(proposal_page(proposal), "table")
        if not self._answers.yes and proposal.changes:
            _ask(len(proposal.changes))

    def outcome(self, outcome: "Outcome", of: int) -> None:  # noqa: ARG002 - a number says enough
        """Let the progress go on."""
        if self._progress is not None:
            self._progress("changes", next(self._done), of)

    @contextmanager
    def at_work(self) -> Iterator[Callable[[], bool]]:
        """Show the progress, and let Ctrl-C end it after what is in hand."""
        self.has_gone = True
        with progress_bar() as self._progress, stopping(say) as asked_to_stop:
            yield asked_to_stop


def _shown(done: Done, answers: Answers, rollout: Rollout, escort: _AtTerminal) -> int:
    """Show what became of the changes; say what is left, and return the exit code."""
    from adzeguard.core.views.changes import outcomes_table

    if answers.form != "table" or escort.has_gone:
        if answers.form == "table":
            put("\n")
        put_view(outcomes_table(done.outcomes), answers.form)
    return _told(done, rollout)


def _told(done: Done, rollout: Rollout) -> int:
    from adzeguard.workflows.interrupted import WAYS_OUT

    if done.left:
        if done.too_many_failed:
            names = ", ".join(done.failed_hosts[:_HOSTS_NAMED])
            say(f"{len(done.failed_hosts)} hosts have failed, more than {rollout.stop_after}: {names}")
        say(f"Stopped with {done.left} change{'s' * (done.left != 1)} left: {WAYS_OUT}")
        return Exit.DONE_IN_PART
    waiting = done.waiting_hosts
    if waiting:
        them = f"{len(waiting)} hosts" if len(waiting) > 1 else next(iter(waiting))
        say(f"What is left for {them} is done, once it can be, by: adzeguard enact --pending")
    if done.verified == len(done.outcomes):
        return Exit.NOTHING_TO_REPORT
    return Exit.DONE_IN_PART if done.verified else Exit.FAILED


def _ask(count: int) -> None:
    agree(
        f"Make {'this change' if count == 1 else f'these {count} changes'}?",
        f"nothing was changed: {count} change{'s wait' if count != 1 else ' waits'}",
    )
