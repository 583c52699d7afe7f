"""The last part of every command that changes something: proposal, guards, summary, question, enact, outcome."""

import sys
from collections.abc import Callable
from dataclasses import replace
from itertools import count
from typing import TYPE_CHECKING

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import Answers
from adzeguard.cli.output import put, put_view, say
from adzeguard.cli.progress import progress_bar
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.workflows.enact import Interrupted


def enact_draft(desk: Desk, make: "Callable[[], Draft]", answers: Answers) -> int:
    """Make a proposal of what somebody asks for by hand, and enact it. Returns the exit code."""
    from adzeguard.workflows.propose import in_full

    return enact_and_show(desk, lambda: in_full(make(), desk.proposer), answers)


def enact_and_show(desk: Desk, make: "Callable[[], Proposal]", answers: Answers) -> int:
    """Make a proposal and enact it, or first go on with an enactment that was interrupted. Returns the exit code.

    The proposal is made within the lock, so that nothing changes between its guards and its changes.
    """
    from adzeguard.core.change.guards.all import pass_guards
    from adzeguard.workflows.enact import interrupted_enactment

    with desk.held("enact"):
        earlier = interrupted_enactment(desk.journal)
        if earlier is not None:
            say(f"The enactment {earlier.name} was interrupted; going on with its last {earlier.left} changes")
            code = _run(desk, earlier.proposal, answers, earlier)
            say("Now run the command again, if it asked for anything else")
            return code
        proposal = make()
        answers = _with_deletions_named(proposal, answers)
        if proposal.changes:
            pass_guards(desk.case(proposal, answers.sizes))
        return _run(desk, proposal, answers, None)


def _with_deletions_named(proposal: "Proposal", answers: Answers) -> Answers:
    """Ask for the number of deletions on a terminal, where it was not given: it must be typed, not clicked away."""
    from adzeguard.core.change.kinds.delete_object import DeleteObject

    deletions = sum(isinstance(change, DeleteObject) for change in proposal.changes)
    if deletions <= 1 or answers.deletions is not None or answers.yes or not sys.stdin.isatty():
        return answers
    for change in proposal.changes:
        say(change.in_words())
    return replace(answers, deletions=click.prompt("How many objects are deleted?", type=int, err=True))


def _run(desk: Desk, proposal: "Proposal", answers: Answers, earlier: "Interrupted | None") -> int:
    from adzeguard.core.change.outcome import Outcome, Status
    from adzeguard.core.views.changes import outcomes_table, proposal_page
    from adzeguard.workflows.enact import Ports, enact_proposal

    form = answers.form
    if form == "table" or not answers.yes:
        put_view(proposal_page(proposal), "table")
    if not proposal.changes:
        if form != "table":
            put_view(outcomes_table([]), form)
        return Exit.NOTHING_TO_REPORT
    if not answers.yes:
        _ask(len(proposal.changes))
    with desk.directory() as directory, desk.hosts() as hosts, progress_bar() as progress:
        ports = Ports(directory, hosts, desk.store, desk.journal, desk.now, desk.operator())
        done = count(1)

        def report(_outcome: Outcome) -> None:
            progress("changes", next(done), len(proposal.changes))

        outcomes = enact_proposal(proposal, desk.estate, desk.charter, ports, report, earlier)
    if form == "table":
        put("\n")
    put_view(outcomes_table(outcomes), form)
    verified = sum(outcome.status == Status.VERIFIED for outcome in outcomes)
    if verified == len(outcomes):
        return Exit.NOTHING_TO_REPORT
    return Exit.DONE_IN_PART if verified else Exit.FAILED


def _ask(count: int) -> None:
    if not sys.stdin.isatty():
        raise UsageError(
            f"nothing was changed: {count} change{'s wait' if count != 1 else ' waits'} for a yes, and there is no "
            "terminal to ask on",
            "Give --yes",
        )
    if not click.confirm(f"Make {'this change' if count == 1 else f'these {count} changes'}?", default=False):
        raise UsageError("nothing was changed")
