"""The last part of every command that changes something: guards, summary, question, apply, outcome."""

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
from adzeguard.core.change.plan import Plan, Verb
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.change.objects_by_hand import HandPlan
    from adzeguard.workflows.apply import Interrupted
    from adzeguard.workflows.outcome import Outcome


def apply_and_show(desk: Desk, make: Callable[[], Plan], answers: Answers) -> int:
    """Make a plan and apply it, or first go on with an apply that was interrupted. Returns the exit code."""
    from adzeguard.core.change.guards import NamedSizes
    from adzeguard.workflows.apply import interrupted_apply
    from adzeguard.workspace.lock import held

    with held(desk.workspace.lock_path, "apply"):
        earlier = interrupted_apply(desk.journal)
        if earlier is not None:
            say(f"The apply {earlier.name} was interrupted; going on with its last {earlier.left} changes")
            code = _run(desk, earlier.plan, answers, earlier)
            say("Now run the command again, if it asked for anything else")
            return code
        plan = make()
        answers = _with_deletions_named(plan, answers)
        desk.pass_guards(plan.changes, NamedSizes(answers.removals, answers.hosts, answers.deletions))
        return _run(desk, plan, answers, None)


def _with_deletions_named(plan: Plan, answers: Answers) -> Answers:
    """Ask for the number of deletions on a terminal, where it was not given: it must be typed, not clicked away."""
    deletions = sum(change.verb == Verb.DELETE for change in plan.changes)
    if deletions <= 1 or answers.deletions is not None or answers.yes or not sys.stdin.isatty():
        return answers
    for change in plan.changes:
        say(change.in_words())
    return replace(answers, deletions=click.prompt("How many objects are deleted?", type=int, err=True))


def hand_plan(desk: Desk, made: "HandPlan") -> Plan:
    """Return changes made by hand as a plan."""
    from adzeguard.workflows.plan import whole_plan

    return whole_plan(
        desk.estate, made.changes, (), made.notes, collection=desk.store.latest().id, now=desk.now(),
        operator=desk.operator(),
    )  # fmt: skip


def _run(desk: Desk, plan: Plan, answers: Answers, earlier: "Interrupted | None") -> int:
    from adzeguard.report.changes import outcomes_listing, plan_text
    from adzeguard.workflows.apply import Ports, apply_plan
    from adzeguard.workflows.outcome import Status

    form = answers.form
    if form == "table" or not answers.yes:
        put(plan_text(plan, colour=colour()))
    if not plan.changes:
        if form != "table":
            put_listing(outcomes_listing([]), form, None)
        return Exit.NOTHING_TO_REPORT
    if not answers.yes:
        _ask(len(plan.changes))
    with desk.directory() as directory, progress_bar() as progress:
        ports = Ports(directory, desk.hosts, desk.store, desk.journal, desk.now, desk.operator())
        done = count(1)

        def told(_outcome: "Outcome") -> None:
            progress("changes", next(done), len(plan.changes))

        outcomes = apply_plan(plan, desk.estate, desk.charter, ports, told, earlier)
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
