"""adzeguard without a command: how things stand in this workspace, or how to begin."""

from pathlib import Path
from typing import Final

import click

from adzeguard.cli.exits import Exit
from adzeguard.core.errors import SettingsError
from adzeguard.settings.settings import find_workspace

_BEGIN: Final = """\
This folder is not in a workspace, which is a folder that holds the settings,
the charter (the rules) and all that was collected.

Try everything on made-up data:
  adzeguard demo ferries && cd ferries

Connect your own directory, which is only read:
  adzeguard init NAME && cd NAME
  adzeguard collect
  adzeguard who --groups

Go on: adzeguard help
"""


def alone(context: click.Context, folder: Path | None) -> int:
    """Show the status of a workspace, or of the one around; outside of one, the first commands."""
    try:
        if folder is None:
            find_workspace(Path.cwd())
    except SettingsError:
        click.echo(_BEGIN, nl=False)
        return Exit.NOTHING_TO_REPORT
    from adzeguard.cli.status import command

    return int(context.invoke(command))
