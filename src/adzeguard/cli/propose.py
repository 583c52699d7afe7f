"""adzeguard propose."""

import shlex
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import choosing_options, example, proposal_form_option, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.workspace.choice import Choice

if TYPE_CHECKING:
    from adzeguard.workflows.propose import Proposed


@click.command("propose", cls=HeadedCommand, epilog=example("adzeguard propose --output monday.json"))
@click.option(
    "--also", multiple=True, metavar="RULE", help="Also mend deviations from this rule, though it only tells."
)
@click.option(
    "--take-over",
    "taken_over",
    multiple=True,
    metavar="RULE",
    help="Only let this rule own what it finds standing as it wants it.",
)
@choosing_options
@proposal_form_option
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write the proposal to a file, to review and enact.",
)
@workspace_option
def command(
    also: tuple[str, ...],
    taken_over: tuple[str, ...],
    choice: Choice,
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    """Show the changes that the rules with `response: mend` ask for, and their impact.

    --rule, --group, --on and --under choose a part. A change must fit one value of each option that you give.
    Members, refusals, limits and notices that a rule finds as it wants them stay when the rule goes. With --take-over
    they belong to the rule from then on; charter where lists them.

    Nothing is changed. A proposal that would lock the keepers out is refused. Ends with 3 if anything deviates: there
    are changes to make, rules that only tell, changes that are left out, or hosts that were not read.
    """
    from adzeguard.core.views.changes import proposal_page
    from adzeguard.workspace.deviations import proposed, proposed_take_over

    workspace = opened(folder)
    made = proposed_take_over(workspace, taken_over) if taken_over else proposed(workspace, also, choice)
    page = proposal_page(made.proposal)
    if output is not None:
        write_proposal(made, output)
    put_view(page, "table" if output is not None else form)
    for reason in made.past_limits:
        say(f"Past a limit: {reason}")
    whole = made.proposal
    if whole.changes and output is None and form == "table":
        say(f"Next: {_that_enacts(also, taken_over, choice)}")
    return Exit.TO_REPORT if whole.changes or whole.left_out or whole.notes else Exit.NOTHING_TO_REPORT


def _that_enacts(also: tuple[str, ...], taken_over: tuple[str, ...], choice: Choice) -> str:
    """Return the command that makes the same proposal and enacts it; one that takes over is enacted from a file."""
    given = {"--also": also, "--rule": choice.rules, "--group": choice.groups, "--on": choice.hosts}
    if taken_over:
        given, words = {"--take-over": taken_over}, ["propose"]
    else:
        given, words = given | {"--under": choice.under}, ["enact"]
    words += [word for option, names in given.items() for name in names for word in (option, name)]
    return shlex.join(["adzeguard", *words, *(["--output", "proposal.json"] if taken_over else [])])


def write_proposal(made: "Proposed", output: Path) -> None:
    """Write a proposal to a file, and say how it is enacted."""
    from adzeguard.core.views.changes import proposal_page

    put_view(proposal_page(made.proposal), "json", output)
    say(f"Next: adzeguard enact {shlex.quote(str(output))}")
