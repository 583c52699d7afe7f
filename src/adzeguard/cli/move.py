"""adzeguard move."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal


@click.command("move", epilog=example("adzeguard move ulla.beck OU=Galley,OU=People"))
@click.argument("name", metavar="OBJECT", shell_complete=names())
@click.argument("container", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def command(name: str, container: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Put a user, computer, group or OU into another OU.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import moved_object
    from adzeguard.core.estate.names import resolve

    workspace = opened(folder)
    found, to = resolve(workspace.estate, name), container_at(workspace.estate, container)
    said = _rules_that_differ(workspace, found, to)
    return enact_draft(workspace, lambda: moved_object(workspace.estate, found, to, why, said), answers)


def _rules_that_differ(workspace: Workspace, moved: "Principal", to: "Principal") -> list[str]:
    """Say which rules hold for it no more and which will, as far as the charter can be read."""
    from adzeguard.core.charter.at_place import said_of_move
    from adzeguard.core.identity import parent_dn

    charter = workspace.charter_if_readable("Which rules it leaves and enters is not said")
    from_there = workspace.estate.catalogue.by_dn(parent_dn(moved.dn))
    if charter is None or from_there is None:
        return []
    return said_of_move(charter, moved, workspace.estate.principal(from_there), to)
