"""adzeguard status."""

from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view


@click.command("status", cls=HeadedCommand, epilog=example("adzeguard status"))
@card_options
@workspace_option
def command(form: str, output: Path | None, folder: Path | None) -> int:
    """Show one screen: last collection, last check, unread hosts, last enactments, and how many are privileged.

    Findings are those of the last check, with its age. Privileged groups are compared with a week ago, or with the
    first collection. Ends with 3 if the last check had findings.
    """
    from adzeguard.core.views.status import status_page
    from adzeguard.workspace.overview import overview

    workspace = looking(folder)
    data = overview(workspace)
    put_view(status_page(data, workspace.now()), form, output)
    return (
        Exit.TO_REPORT
        if any(severity != "note" for severity in data["findings_by_severity"])
        else Exit.NOTHING_TO_REPORT
    )
