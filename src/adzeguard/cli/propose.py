"""adzeguard propose."""

from pathlib import Path

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import colour, put, say


@click.command("propose", epilog=example("adzeguard propose --output monday.json"))
@click.option("--also", multiple=True, metavar="RULE", help="Also put right what this rule says, though it only tells.")
@click.option(
    "--format",
    "form",
    type=click.Choice(["table", "json"]),
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
def command(also: tuple[str, ...], form: str, output: Path | None, workspace: Path | None) -> int:
    """Show what would be changed to put right what the rules with `response: mend` say, and what it comes to.

    Changes nothing. A proposal that would lock the keepers out is refused. Ends with 3 when there are changes to make.
    """
    from adzeguard.core.change.guards.limits import NamedSizes
    from adzeguard.core.change.guards.lockout import lockouts
    from adzeguard.core.change.guards.size import oversizes
    from adzeguard.core.errors import GuardError
    from adzeguard.report.changes import proposal_text

    desk = Desk(workspace)
    charter = desk.charter
    check_rules(also, {rule.id for rule in charter.charter.rules})
    proposal = desk.make_proposal(also)
    locked_out = list(lockouts(desk.estate, proposal.changes, charter.keepers, charter.charter))
    if locked_out:
        raise GuardError(locked_out)
    if output is not None:
        put(proposal.model_dump_json(indent=2) + "\n", output)
        say(f"Enact it with: adzeguard enact {output}")
    if form == "json" and output is None:
        put(proposal.model_dump_json(indent=2) + "\n")
    else:
        put(proposal_text(proposal, colour=colour()))
    for reason in oversizes(desk.estate, proposal.changes, desk.workspace.limits, NamedSizes()):
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if proposal.changes else Exit.NOTHING_TO_REPORT


def check_rules(named: tuple[str, ...], known: set[str]) -> None:
    """Refuse the name of a rule that the charter does not have."""
    import difflib

    from adzeguard.core.errors import UsageError

    for rule in named:
        if rule not in known:
            near = difflib.get_close_matches(rule, known, 1)
            raise UsageError(
                f"the charter has no rule '{rule}'",
                f"Did you mean {near[0]}?" if near else "See: adzeguard charter lint",
            )
