"""adzeguard move."""

from pathlib import Path

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.desk import Desk
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option


@click.command("move", epilog=example("adzeguard move ulla.beck OU=Galley,OU=People"))
@click.argument("name", metavar="OBJECT", shell_complete=names())
@click.argument("container", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def command(name: str, container: str, why: str, answers: Answers, workspace: Path | None) -> int:
    """Put a user, computer, group or OU into another OU.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import moved_object
    from adzeguard.core.estate.names import resolve

    desk = Desk(workspace)
    found, to = resolve(desk.estate, name), container_at(desk.estate, container)
    return enact_draft(desk, lambda: moved_object(desk.estate, found, to, why), answers)
