"""adzeguard status."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import put_view


@click.command("status", cls=HeadedCommand, epilog=example("adzeguard status"))
@card_options
@at_option
@workspace_option
def command(form: str, output: Path | None, moment: datetime | None, folder: Path | None) -> int:
    """Show one screen: last collection, last check, unread hosts, last enactments, and how many are privileged.

    Findings are those of the last check, with its age. Privileged groups are compared with a week ago, or with the
    first collection. Ends with 3 if the last check had findings. With --at: what was collected and enacted by then.
    """
    from adzeguard.core.views.status import status_page
    from adzeguard.workspace.overview import overview

    workspace = looking(folder, moment)
    data = overview(workspace)
    put_view(status_page(data, workspace.looked_from), form, output)
    found = any(severity != "note" for severity in data["findings_by_severity"] or ())
    return Exit.TO_REPORT if found else Exit.NOTHING_TO_REPORT
