"""adzeguard propose."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import choosing_options, example, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.report.renderers import formats_of_pages
from adzeguard.workspace.choice import Choice

if TYPE_CHECKING:
    from adzeguard.workflows.propose import Proposed


@click.command("propose", epilog=example("adzeguard propose --output monday.json"))
@click.option("--also", multiple=True, metavar="RULE", help="Also put right what this rule says, though it only tells.")
@choosing_options
@click.option(
    "--format",
    "form",
    type=click.Choice(formats_of_pages()),
    default="table",
    show_default=True,
    help="For people, or the proposal itself.",
)
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write the proposal to a file, to review and enact.",
)
@workspace_option
def command(also: tuple[str, ...], choice: Choice, form: str, output: Path | None, folder: Path | None) -> int:
    """Show what would be changed to put right what the rules with `response: mend` say, and what it comes to.

    With --rule, --group, --host or --under only a part of it: of each kind one must fit, and all kinds together.
    Changes nothing. A proposal that would lock the keepers out is refused. Ends with 3 when there are changes to make.
    """
    from adzeguard.core.views.changes import proposal_page
    from adzeguard.workspace.deviations import proposed

    made = proposed(opened(folder), also, choice)
    page = proposal_page(made.proposal)
    if output is not None:
        write_proposal(made, output)
    put_view(page, "table" if output is not None else form)
    for reason in made.past_limits:
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if made.proposal.changes else Exit.NOTHING_TO_REPORT


def write_proposal(made: "Proposed", output: Path) -> None:
    """Write a proposal to a file, and say how it is enacted."""
    from adzeguard.core.views.changes import proposal_page

    put_view(proposal_page(made.proposal), "json", output)
    say(f"Enact it with: adzeguard enact {output}")
