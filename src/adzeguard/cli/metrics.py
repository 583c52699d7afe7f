"""adzeguard metrics."""

from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import put

_FOR_ALL = 0o644


@click.command("metrics", cls=HeadedCommand, epilog=example("adzeguard metrics"))
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write it to a file, whole or not at all, for programs that read such files.",
)
@click.option(
    "--readable", is_flag=True, help="Let other accounts read the file: it names groups and counts, no people."
)
@workspace_option
def command(output: Path | None, readable: bool, folder: Path | None) -> int:
    """Write figures for monitoring, in the open text exposition format.

    Findings by check and severity, people inside privileged groups, hosts by state, leases, open questions and reviews,
    pending changes, and the times of the last collection and the last round.
    """
    from adzeguard.report.exposition import exposed
    from adzeguard.workspace.figures import figures

    put(exposed(figures(looking(folder))), output)
    if output is not None and readable and output.is_file() and not output.is_symlink():
        output.chmod(_FOR_ALL)
    return Exit.NOTHING_TO_REPORT
