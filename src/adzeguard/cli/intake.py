"""adzeguard ou intake."""

from pathlib import Path

import click

from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import looking, opened
from adzeguard.cli.options import Answers, enacting_options, example, listing_options, why_option, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace


@click.group(
    "intake",
    cls=CommandGroup,
    alone="show",
    instead={"list": "adzeguard ou intake show"},
    epilog=example("adzeguard ou intake set --users OU=Quay --computers OU=Quay"),
)
def intake() -> None:
    """Set where users and computers land that are created without a place; alone, show it."""


@intake.command("show", epilog=example("adzeguard ou intake show"))
@listing_options
@workspace_option
def show(form: str, output: Path | None, folder: Path | None) -> int:
    """Show where new users and computers land, and how many lie there now."""
    from adzeguard.core.views.intake import intake_table

    put_view(intake_table(looking(folder).estate), form, output)
    return Exit.NOTHING_TO_REPORT


@intake.command("set", epilog=example("adzeguard ou intake set --users OU=Quay --computers OU=Quay"))
@click.option("--users", metavar="OU", help="Where new users land.")
@click.option("--computers", metavar="OU", help="Where new computers land.")
@why_option
@enacting_options
@workspace_option
def change(users: str | None, computers: str | None, why: str, answers: Answers, folder: Path | None) -> int:
    """Let new users, new computers or both land in an OU of your choice."""
    wanted = {what: ou for what, ou in (("users", users), ("computers", computers)) if ou}
    if not wanted:
        raise UsageError("nothing to set", "Give --users OU, --computers OU, or both")
    return _enact(opened(folder), wanted, why, answers)


@intake.command("reset", epilog=example("adzeguard ou intake reset"))
@why_option
@enacting_options
@workspace_option
def reset(why: str, answers: Answers, folder: Path | None) -> int:
    """Let new users and computers land where every domain begins."""
    from adzeguard.core.estate.intake_places import DEFAULTS

    return _enact(opened(folder), DEFAULTS, why, answers)


def _enact(workspace: Workspace, wanted: dict[str, str], why: str, answers: Answers) -> int:
    from adzeguard.workspace.by_hand import intake_set

    return enact_draft(workspace, lambda: intake_set(workspace, wanted, why), answers)
