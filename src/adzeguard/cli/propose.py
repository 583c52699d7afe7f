"""adzeguard propose."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Choice, choosing_options, example, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.report.renderers import formats_of_pages
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
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

    workspace = opened(folder)
    with workspace.held("propose"):
        check_rules(also, {rule.id for rule in workspace.written_charter.rules})
        made = workspace.proposed(chosen_draft(workspace, also, choice))
    page = proposal_page(made.proposal)
    if output is not None:
        write_proposal(made, output)
    put_view(page, "table" if output is not None else form)
    for reason in made.past_limits:
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if made.proposal.changes else Exit.NOTHING_TO_REPORT


def chosen_draft(workspace: Workspace, also: tuple[str, ...], choice: Choice) -> "Draft":
    """Return what the charter asks for, as far as it was chosen; a name that is none is an error."""
    from adzeguard.core.errors import UsageError
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.identity import fold_dn
    from adzeguard.core.review.chosen import Chosen

    check_rules(choice.rules, {rule.id for rule in workspace.written_charter.rules})
    groups = [str(resolve(workspace.estate, name).sid or "") for name in choice.groups]
    under = [fold_dn(workspace.estate.domain.full_dn(name)) for name in choice.under]
    for name, dn in zip(choice.under, under, strict=True):
        if workspace.estate.catalogue.by_dn(dn) is None:
            raise UsageError(f"there is no OU '{name}'", "Write it like OU=Ticket Kiosks,OU=Hosts")
    return workspace.charter_draft(also, Chosen(choice.rules, groups, choice.hosts, under).means)


def write_proposal(made: "Proposed", output: Path) -> None:
    """Write a proposal to a file, and say how it is enacted."""
    from adzeguard.core.views.changes import proposal_page

    put_view(proposal_page(made.proposal), "json", output)
    say(f"Enact it with: adzeguard enact {output}")


def check_rules(named: tuple[str, ...], known: set[str]) -> None:
    """Refuse the name of a rule that the charter does not have."""
    from adzeguard.core.errors import UsageError
    from adzeguard.core.wording import nearest

    for rule in named:
        if rule not in known:
            near = nearest(rule, known, 0.6)
            way_out = f"Did you mean {near}?" if near else "See: adzeguard charter lint"
            raise UsageError(f"the charter has no rule '{rule}'", way_out)
