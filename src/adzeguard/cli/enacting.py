"""The last part of every command that changes something: guards, summary, question, enact, outcome."""

import sys
from collections.abc import Callable
from dataclasses import replace
from itertools import count
from typing import TYPE_CHECKING

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import Answers
from adzeguard.cli.output import colour, put, put_listing, say
from adzeguard.cli.progress import progress_bar
from adzeguard.core.change.changes import Verb
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.change.by_hand.objects import HandProposal
    from adzeguard.workflows.enact import Interrupted
    from adzeguard.workflows.outcome import Outcome


def enact_and_show(desk: Desk, make: Callable[[], Proposal], answers: Answers) -> int:
    """Make a proposal and enact it, or first go on with an enactment that was interrupted. Returns the exit code."""
    from adzeguard.core.change.guards.limits import NamedSizes
    from adzeguard.workflows.enact import interrupted_enactment
    from adzeguard.workspace.lock import held

    with held(desk.workspace.lock_path, "enact"):
        earlier = interrupted_enactment(desk.journal)
        if earlier is not None:
            say(f"The enactment {earlier.name} was interrupted; going on with its last {earlier.left} changes")
            code = _run(desk, earlier.proposal, answers, earlier)
            say("Now run the command again, if it asked for anything else")
            return code
        proposal = make()
        answers = _with_deletions_named(proposal, answers)
        desk.pass_guards(proposal.changes, NamedSizes(answers.removals, answers.hosts, answers.deletions))
        return _run(desk, proposal, answers, None)


def _with_deletions_named(proposal: Proposal, answers: Answers) -> Answers:
    """Ask for the number of deletions on a terminal, where it was not given: it must be typed, not clicked away."""
    deletions = sum(change.verb == Verb.DELETE for change in proposal.changes)
    if deletions <= 1 or answers.deletions is not None or answers.yes or not sys.stdin.isatty():
        return answers
    for change in proposal.changes:
        say(change.in_words())
    return replace(answers, deletions=click.prompt("How many objects are deleted?", type=int, err=True))


def hand_proposal(desk: Desk, made: "HandProposal") -> Proposal:
    """Return changes made by hand as a proposal."""
    from adzeguard.workflows.propose import whole_proposal

    return whole_proposal(
        desk.estate, made.changes, (), made.notes, collection=desk.store.latest().id, now=desk.now(),
        operator=desk.operator(),
    )  # fmt: skip


def _run(desk: Desk, proposal: Proposal, answers: Answers, earlier: "Interrupted | None") -> int:
    from adzeguard.report.changes import outcomes_listing, proposal_text
    from adzeguard.workflows.enact import Ports, enact_proposal
    from adzeguard.workflows.outcome import Status

    form = answers.form
    if form == "table" or not answers.yes:
        put(proposal_text(proposal, colour=colour()))
    if not proposal.changes:
        if form != "table":
            put_listing(outcomes_listing([]), form, None)
        return Exit.NOTHING_TO_REPORT
    if not answers.yes:
        _ask(len(proposal.changes))
    with desk.directory() as directory, progress_bar() as progress:
        ports = Ports(directory, desk.hosts, desk.store, desk.journal, desk.now, desk.operator())
        done = count(1)

        def told(_outcome: "Outcome") -> None:
            progress("changes", next(done), len(proposal.changes))

        outcomes = enact_proposal(proposal, desk.estate, desk.charter, ports, told, earlier)
    if form == "table":
        put("\n")
    put_listing(outcomes_listing(outcomes), form, None)
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
