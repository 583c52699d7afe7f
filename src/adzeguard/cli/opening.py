"""Open the workspace of a command: at its terminal, until the command ends."""

import sys
from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.groups import WORKSPACE
from adzeguard.workspace.frontend import Frontend
from adzeguard.workspace.open_workspace import Workspace


def opened(folder: Path | None, moment: datetime | None = None) -> Workspace:
    """Return the workspace in a folder, or the nearest one from the current folder upwards."""
    command = click.get_current_context(silent=True)
    if folder is None and command is not None:
        folder = command.meta.get(WORKSPACE)
    workspace = Workspace(folder, moment, AT_TERMINAL)
    # A process that runs one command after the other must not keep a connection of each.
    if command is not None:
        command.call_on_close(workspace.close)
    return workspace


def looking(folder: Path | None, moment: datetime | None = None) -> Workspace:
    """Return the workspace of a command that writes nothing: all that it says is of one moment."""
    workspace = opened(folder, moment)
    workspace.look_only()
    return workspace


def _say(text: str) -> None:
    from adzeguard.cli.output import say

    say(text)


def _ask_secret(question: str) -> str | None:
    if not sys.stdin.isatty():
        return None
    from adzeguard.cli.progress import paused

    with paused():
        return str(click.prompt(question, hide_input=True, err=True))


AT_TERMINAL = Frontend(_say, _ask_secret)
