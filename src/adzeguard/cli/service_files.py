"""adzeguard service-files."""

import shutil
import sys
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import put


@click.command("service-files", cls=HeadedCommand, epilog=example("adzeguard service-files units --user adzeguard"))
@click.argument("units", type=click.Path(path_type=Path, file_okay=False), metavar="DIR")
@click.option("--user", default="adzeguard", show_default=True, help="The account that it runs as.")
@workspace_option
def command(units: Path, user: str, folder: Path | None) -> int:
    """Write units of systemd into DIR: one that watches, or a timer that makes a round every five minutes.

    The units may write into the workspace alone, and gain no privileges. Use one of the two: adzeguard-watch.service,
    or adzeguard-round.timer.
    """
    from adzeguard.settings.service_files import write_service_files

    workspace = opened(folder)
    program = shutil.which("adzeguard") or str(Path(sys.executable).with_name("adzeguard"))
    for path in write_service_files(units, program, workspace.settings.folder.resolve(), user):
        put(f"{path}\n")
    put("Look at them, copy them to /etc/systemd/system, then: systemctl enable --now adzeguard-watch.service\n")
    return Exit.NOTHING_TO_REPORT
