"""adzeguard charter."""

from pathlib import Path

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import example, output_option, workspace_option
from adzeguard.cli.output import put, put_json, say


@click.group("charter", epilog=example("adzeguard charter lint"))
def command() -> None:
    """Look over the charter, or print the schema that editors complete it by."""


@command.command("lint", short_help="Look for mistakes in the charter.", epilog=example("adzeguard charter lint"))
@workspace_option
def lint(workspace: Path | None) -> int:
    """Read the charter and resolve its names against what was collected; changes nothing.

    Ends with 3 when a rule cannot be followed: a name stands for nothing or for two things, a duty means nothing over
    its object, or two rules contradict each other; and with 1 when the charter cannot be read.
    """
    from adzeguard.core.errors import NothingCollectedError
    from adzeguard.core.review.corrections import corrections

    desk = Desk(workspace)
    rules = desk.written_charter.rules
    mistakes = []
    try:
        mistakes = [c for c in corrections(desk.rights, desk.charter) if c.stops_rule]
    except NothingCollectedError:
        say("Names are not looked up, since nothing has been collected yet.")
    for mistake in mistakes:
        put(f"{mistake.place}: rule {mistake.rule}: {mistake.message}\n")
    if not mistakes:
        put(f"{len(rules)} rule{'s' * (len(rules) != 1)}, nothing wrong.\n")
    return Exit.TO_REPORT if mistakes else Exit.NOTHING_TO_REPORT


@command.command(
    "adopt", short_help="Write a first charter from what stands.", epilog=example("adzeguard charter adopt")
)
@output_option
@workspace_option
def adopt(output: Path | None, workspace: Path | None) -> int:
    """Write a first charter from what stands now, so that nobody starts from an empty file.

    Privileged groups get a rule each, hosts one for each OU, and one more for each host that differs from its
    neighbours; grants get one each where they fit a duty. All rules only tell, and checking right after finds no
    deviation from them. Written to charter/adopted.yaml; where the charter has rules already, --output says where.
    """
    from adzeguard.core.adopting.adopt import adopted_charter
    from adzeguard.core.errors import UsageError

    desk = Desk(workspace)
    folder = desk.workspace.charter_folder
    if output is None and desk.written_charter.rules:
        raise UsageError("this charter has rules already", "Give --output FILE, and take over what you want")
    text = adopted_charter(desk.rights, desk.privileged)
    put(text, output or folder / "adopted.yaml")
    return Exit.NOTHING_TO_REPORT


@command.command("schema", epilog=example("adzeguard charter schema --output charter.schema.json"))
@output_option
def schema(output: Path | None) -> int:
    """Print the JSON Schema of a charter file."""
    from adzeguard.core.charter.schema import json_schema
    from adzeguard.core.review.kinds import RULE_KINDS

    put_json(json_schema(RULE_KINDS), output)
    return Exit.NOTHING_TO_REPORT
