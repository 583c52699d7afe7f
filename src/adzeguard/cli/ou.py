"""adzeguard ou."""

from pathlib import Path

import click

from adzeguard.cli.completing import containers
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.intake import intake
from adzeguard.cli.opening import looking, opened
from adzeguard.cli.options import (
    Answers,
    enacting_options,
    example,
    listing_options,
    why_option,
    workspace_option,
)
from adzeguard.cli.output import put_view


@click.group(
    "ou",
    cls=CommandGroup,
    alone="list",
    instead={"show": "adzeguard show OU", "move": "adzeguard move OU TO"},
    epilog=example("adzeguard ou create 'Dry Dock' --in OU=Hosts"),
)
def command() -> None:
    """Create, protect and delete OUs, and set where new accounts land; alone, list OUs."""


command.add_command(intake)


@command.command("list", epilog=example("adzeguard ou list"))
@listing_options
@workspace_option
def list_ous(form: str, output: Path | None, folder: Path | None) -> int:
    """List all OUs: what lies anywhere below each, whether it is protected, what is granted and linked there."""
    from adzeguard.core.estate.principal import Kind
    from adzeguard.core.views.ou_page import ous_table

    workspace = looking(folder)
    ous = workspace.estate.catalogue.principals(workspace.estate.catalogue.of_kind(Kind.OU).tolist())
    put_view(ous_table(workspace.rights, list(ous.values())), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("create", epilog=example("adzeguard ou create 'Dry Dock' --in OU=Hosts"))
@click.argument("name")
@click.option(
    "--in",
    "container",
    default="",
    metavar="OU",
    help="Where it is made; otherwise at the top.",
    shell_complete=containers,
)
@click.option("--description", default="", metavar="TEXT", help="What it is for.")
@click.option("--unprotected", is_flag=True, help="Do not protect it against deletion.")
@why_option
@enacting_options
@workspace_option
def create(
    name: str, container: str, description: str, unprotected: bool, why: str, answers: Answers, folder: Path | None
) -> int:
    """Make an OU, protected against deletion.

    Two entries deny it to everyone: one on the OU, and one on what it lies in, without which an administrator could
    delete it all the same.
    """
    from adzeguard.workspace.by_hand import ou_created

    workspace = opened(folder)
    return enact_draft(
        workspace,
        lambda: ou_created(workspace, name, container, why, description=description, protected=not unprotected),
        answers,
    )


@command.command("protect", epilog=example("adzeguard ou protect OU=Quay"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def protect(ou: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Protect an OU against deletion and moving."""
    from adzeguard.workspace.by_hand import ou_protected

    workspace = opened(folder)
    return enact_draft(workspace, lambda: ou_protected(workspace, ou, why), answers)


@command.command("unprotect", epilog=example("adzeguard ou unprotect OU=Quay"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def unprotect(ou: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Let an OU be deleted and moved again. What lies above keeps its part while it protects others."""
    from adzeguard.workspace.by_hand import ou_unprotected

    workspace = opened(folder)
    return enact_draft(workspace, lambda: ou_unprotected(workspace, ou, why), answers)


@command.command("delete", epilog=example("adzeguard ou delete OU=Retired"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@click.option("--with-content", is_flag=True, help="Delete all that lies in it too; --deletions must name how many.")
@why_option
@enacting_options
@workspace_option
def delete(ou: str, with_content: bool, why: str, answers: Answers, folder: Path | None) -> int:
    """Delete an OU. Refused while it is protected, and while it is not empty.

    With its content every object is listed, and their number must be named.
    """
    from adzeguard.workspace.by_hand import ou_deleted

    workspace = opened(folder)
    return enact_draft(workspace, lambda: ou_deleted(workspace, ou, why, with_content=with_content), answers)
