"""adzeguard move."""

from pathlib import Path

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option


@click.command("move", cls=HeadedCommand, epilog=example("adzeguard move ulla.beck OU=Galley,OU=People"))
@click.argument("name", metavar="OBJECT", shell_complete=names())
@click.argument("container", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def command(name: str, container: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Put a user, computer, group or OU into another OU."""
    from adzeguard.workspace.by_hand import moved

    workspace = opened(folder)
    return enact_draft(workspace, lambda: moved(workspace, name, container, why), answers)
