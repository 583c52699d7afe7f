"""adzeguard enact."""

from collections.abc import Sequence
from dataclasses import replace
from functools import cache
from pathlib import Path
from time import monotonic, sleep
from typing import TYPE_CHECKING

import click

from adzeguard.cli.enacting import drop_and_show, enact_and_show, resume_and_show
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import (
    Answers,
    choosing_options,
    enacting_options,
    example,
    why_option,
    workers_option,
    workspace_option,
)
from adzeguard.cli.output import say
from adzeguard.core.errors import UsageError
from adzeguard.workflows.pace import AT_ONCE, Pace
from adzeguard.workspace.choice import Choice
from adzeguard.workspace.wanted import Rollout, Signed

if TYPE_CHECKING:
    from adzeguard.core.change.change import Change
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.part import Part
    from adzeguard.core.change.proposal import Proposal


@click.command("enact", cls=HeadedCommand, epilog=example("adzeguard enact monday.json"))
@click.argument("proposal_file", required=False, type=click.Path(path_type=Path), metavar="[PROPOSAL]")
@click.option(
    "--also",
    multiple=True,
    metavar="RULE",
    help="Without PROPOSAL: also mend this rule, though it only tells.",
)
@choosing_options
@click.option("--change", "numbers", multiple=True, metavar="ID", help="Only this change of it, such as c00003.")
@click.option("--resume", is_flag=True, help="Go on with the enactment that was interrupted.")
@click.option("--drop", is_flag=True, help="End the enactment that was interrupted for good.")
@click.option("--first", type=click.IntRange(1), metavar="N", help="Start with the first N hosts.")
@click.option("--percent", type=click.IntRange(1, 100), metavar="P", help="Start with P percent of the hosts.")
@click.option("--pending", is_flag=True, help="Make the changes that are pending for hosts.")
@click.option("--stop-after", type=click.IntRange(0), metavar="F", help="Stop once more than F hosts have failed.")
@click.option(
    "--at-once",
    type=click.IntRange(1, 256),
    default=AT_ONCE,
    show_default=True,
    help="Change at most so many hosts at a time.",
)
@click.option("--per-minute", type=click.IntRange(1), metavar="N", help="Begin with at most N hosts a minute.")
@workers_option
@why_option
@enacting_options
@workspace_option
def command(
    proposal_file: Path | None,
    also: tuple[str, ...],
    choice: Choice,
    numbers: tuple[str, ...],
    resume: bool,
    drop: bool,
    first: int | None,
    percent: int | None,
    pending: bool,
    stop_after: int | None,
    at_once: int,
    per_minute: int | None,
    workers: str,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Make the changes of PROPOSAL, or of a proposal made now.

    Shows the changes and their impact, and asks first. Names and impact are computed again from the changes in
    PROPOSAL; a file that says anything else is refused. Each value is read again right before it is changed, and left
    as a conflict if it is not what the proposal expects. Each change is read back and written to the journal; its
    status is verified, differs, conflict, refused, unreachable, held-back, put-back or unsupported. Ends with 4 if some
    changes could not be made.

    --rule, --group, --on and --under make a proposal of a part; --change takes single changes. With --first, --percent,
    or --on and PROPOSAL, only some hosts are changed and nothing in the directory; the next enact does the rest. With
    --stop-after the enactment stops if too many hosts fail; go on with --resume.

    If a host refuses a change, the changes already made on it are taken back. Changes for hosts that do not answer are
    kept: adzeguard hosts pending lists them, and --pending makes them if they are still wanted.

    Ctrl-C stops after the current change. --resume goes on with the rest, past the guards again; --drop ends the
    enactment for good and says what stands. No other proposal is enacted before that.
    """
    from adzeguard.core.change.part import Part
    from adzeguard.workspace.deviations import chosen_draft
    from adzeguard.workspace.pending import still_wanted
    from adzeguard.workspace.proposal_files import bytes_of, proposal_in

    of_given = proposal_file is not None or pending
    part = Part(first, percent, choice.hosts if of_given else ())
    choice = replace(choice, hosts=()) if of_given else choice
    made_now = bool(also) or not choice.is_everything
    _refuse_together(proposal_file is not None, made_now, resume, drop, pending, part)
    workspace = opened(folder)
    rollout = Rollout(stop_after, Pace(at_once, per_minute, monotonic, sleep), workers)
    if resume or drop:
        return resume_and_show(workspace, answers, rollout) if resume else drop_and_show(workspace, answers)

    # Read once: what is approved must be what is enacted, also where somebody exchanges the file in between.
    content = cache(bytes_of)

    def chosen(whole: "Proposal") -> "Sequence[Change]":
        known = _only(whole, numbers) if numbers else whole.changes
        if part.is_whole:
            return known
        changes = part.of(known)
        touched = len({change.host_name for change in known if change.host_name})
        here = len({change.host_name for change in changes})
        say(f"On {here} of {touched} hosts; {len(known) - len(changes)} changes are left for another time")
        return changes

    def all_of_it() -> "Draft | Proposal":
        if proposal_file is not None:
            return proposal_in(content(proposal_file), proposal_file)
        if pending:
            return still_wanted(workspace)
        return chosen_draft(workspace, also, choice)

    def signed() -> Signed | None:
        return _signed(proposal_file, content(proposal_file)) if proposal_file is not None else None

    only_some = chosen if numbers or not part.is_whole else None
    return enact_and_show(workspace, all_of_it, answers, rollout, only_some, signed, why)


def _signed(file: Path, content: bytes) -> Signed | None:
    from adzeguard.workflows.approval_files import approval_beside

    signature = approval_beside(file)
    return Signed(content, signature) if signature else None


def _refuse_together(given: bool, made_now: bool, resume: bool, drop: bool, pending: bool, part: "Part") -> None:
    """Refuse what cannot be meant together."""
    if given and made_now:
        raise UsageError("PROPOSAL says itself what is changed", "Give --change ID for a part of it")
    if sum((given or made_now, resume, drop, pending)) > 1:
        raise UsageError("PROPOSAL or --also, --resume, --drop and --pending exclude each other", "Give one of them")
    if not part.is_whole and (resume or drop):
        raise UsageError("--first and --percent are about a new enactment", "Give --resume or --drop without them")


def _only(whole: "Proposal", numbers: tuple[str, ...]) -> "Sequence[Change]":
    """Return single changes of a proposal."""
    from adzeguard.core.wording import did_you_mean

    known = [change.id for change in whole.changes]
    for number in numbers:
        if number not in known:
            raise UsageError(
                f"the proposal has no change '{number}'{did_you_mean(number, known)}", "See: adzeguard propose"
            )
    return [change for change in whole.changes if change.id in numbers]
