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

    Ends with 3 when a name stands for nothing or for two things, and with 1 when the charter cannot be read.
    """
    from adzeguard.core.errors import NothingCollectedError
    from adzeguard.core.object_review import object_deviations
    from adzeguard.workspace.charter_yaml import load_charter

    desk = Desk(workspace)
    rules = load_charter(desk.workspace.charter_folder).rules
    counted = f"{len(rules)} rule{'s' * (len(rules) != 1)}"
    try:
        problems = desk.charter.problems
        unclear = [d for d in object_deviations(desk.rights, desk.charter) if d.check == "unclear-grant"]
    except NothingCollectedError:
        say("Names are not looked up, since nothing has been collected yet.")
        problems, unclear = (), []
    for problem in problems:
        put(f"{problem.where}: rule {problem.rule.id}: {problem.message}\n")
    for deviation in unclear:
        put(f"{deviation.rule.place.at()}: rule {deviation.rule.id}: {deviation.message}\n")
    if not (problems or unclear):
        put(f"{counted}, nothing wrong.\n")
    return Exit.TO_REPORT if problems or unclear else Exit.NOTHING_TO_REPORT


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
    from adzeguard.core.checks.privileged import privileged_groups
    from adzeguard.core.errors import UsageError
    from adzeguard.workspace.charter_yaml import load_charter

    desk = Desk(workspace)
    folder = desk.workspace.charter_folder
    if output is None and load_charter(folder).rules:
        raise UsageError("this charter has rules already", "Give --output FILE, and take over what you want")
    text = adopted_charter(desk.rights, privileged_groups(desk.estate, desk.privileged))
    put(text, output or folder / "adopted.yaml")
    return Exit.NOTHING_TO_REPORT


@command.command("schema", epilog=example("adzeguard charter schema --output charter.schema.json"))
@output_option
def schema(output: Path | None) -> int:
    """Print the JSON Schema of a charter file."""
    from adzeguard.core.charter.model import json_schema

    put_json(json_schema(), output)
    return Exit.NOTHING_TO_REPORT
