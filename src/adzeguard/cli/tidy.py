"""adzeguard retire tidy."""

from pathlib import Path

import click

from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option


@click.command("tidy", cls=HeadedCommand, epilog=example("adzeguard retire tidy --why 'left behind by deleted groups'"))
@click.option("--sid", "sids", multiple=True, metavar="SID", help="Only the entries of this one; may be given again.")
@why_option
@enacting_options
@workspace_option
def command(sids: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    """Remove the SIDs of deleted accounts from objects, folders and hosts.

    Look at uses --orphans first. If the reading account cannot see the whole directory, a hidden account looks deleted.
    So SIDs whose deletion neither the directory nor a collection has seen need their number: --vanished.
    """
    from adzeguard.workspace.by_hand import tidied

    workspace = opened(folder)
    return enact_draft(workspace, lambda: tidied(workspace, sids, why), answers)
