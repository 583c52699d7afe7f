"""adzeguard admit."""

from pathlib import Path

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option


@click.command("admit", epilog=example("adzeguard admit QUAY-01 'OU=Ticket Kiosks,OU=Hosts'"))
@click.argument("host", shell_complete=names("computer"))
@click.argument("container", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def command(host: str, container: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Move a host that waits in a holding OU to its place, and open it there.

    The move, the end of what the rules of the old place put in, and what those of the new one mend are one proposal;
    what the host loses and gets is said before.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.workspace.by_hand import host_admitted

    workspace = opened(folder)
    return enact_draft(workspace, lambda: host_admitted(workspace, host, container, why), answers)
