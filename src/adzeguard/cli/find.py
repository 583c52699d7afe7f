"""adzeguard find."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, example, listing_options_without_limit, workspace_option
from adzeguard.cli.output import put_view

_KINDS = (
    *("user", "group", "computer", "ou", "container", "policy", "foreign", "contact", "trust", "service"),
    *("trusted_domain", "password_policy", "site"),
)


@click.command("find", cls=HeadedCommand, epilog=example("adzeguard find kiosk --kind group"))
@click.argument("part", default="", metavar="[TEXT]")
@click.option("--kind", type=click.Choice(_KINDS), help="Only objects of this kind.")
@click.option("--limit", type=click.IntRange(1), default=100, show_default=True, help="How many to show at most.")
@listing_options_without_limit
@at_option
@workspace_option
def command(
    part: str,
    kind: str | None,
    limit: int,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Find objects by a part of their name."""
    from adzeguard.workspace.members import found

    put_view(found(looking(folder, moment), part, kind or "", limit), form, output)
    return Exit.NOTHING_TO_REPORT
