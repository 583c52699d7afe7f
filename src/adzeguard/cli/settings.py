"""adzeguard settings: what is set, whether it works, and what the shell needs."""

from pathlib import Path

import click

from adzeguard.cli.completion import command as completion
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view


@click.group("settings", cls=CommandGroup, alone="list", epilog=example("adzeguard settings check"))
def command() -> None:
    """Show what adzeguard.toml says, and try everything that it connects to."""


command.add_command(completion)


@command.command("list", epilog=example("adzeguard settings list --where origin=file"))
@listing_options
@workspace_option
def list_settings(form: str, output: Path | None, folder: Path | None) -> int:
    """List every key with its value, where that comes from, and what it means.

    Passwords never stand in adzeguard.toml and are never shown.
    """
    from adzeguard.core.views.settings import settings_table
    from adzeguard.settings.settings import FILE_NAME
    from adzeguard.workspace.connections import settings_listed

    workspace = opened(folder)
    file = str(workspace.settings.folder / FILE_NAME)
    put_view(settings_table(settings_listed(workspace), file), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("check", epilog=example("adzeguard settings check"))
@listing_options
@workspace_option
def check(form: str, output: Path | None, folder: Path | None) -> int:
    """Try the directory, a host of each source, the store, the charter, mail and file servers. Nothing is changed.

    Ends with 3 when something is in the way.
    """
    from adzeguard.core.views.hosts import steps_table
    from adzeguard.workspace.connections import connections_tried

    workspace = opened(folder)
    steps = list(connections_tried(workspace))
    put_view(steps_table("Connections", [(s.what, s.said, s.trouble) for s in steps]), form, output)
    return Exit.TO_REPORT if any(step.trouble for step in steps) else Exit.NOTHING_TO_REPORT
