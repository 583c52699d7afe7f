"""adzeguard doors."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError


@click.command("doors", cls=HeadedCommand, epilog=example("adzeguard doors KIOSK-07"))
@click.argument("name", required=False, default="", metavar="[PERSON|HOST]", shell_complete=names("user", "computer"))
@click.option("--all", "everything", is_flag=True, help="List every way of every person into every host.")
@click.option("--after-charter", is_flag=True, help="Also show what the charter does to each door.")
@click.option(
    "--also", multiple=True, metavar="RULE", help="With --after-charter: also count this rule, though it only tells."
)
@listing_options
@at_option
@workspace_option
def command(
    name: str,
    everything: bool,
    after_charter: bool,
    also: tuple[str, ...],
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show by which doors people get into hosts as administrators: a directory group, a direct entry, a local account.

    Without a name the doors are counted, those that let in most people first. With --after-charter each door says what
    the charter does to it: it stays, goes while another stays open, is the last one and is lost (loses), or is new
    (comes). Somebody who loses a host and ran programs elevated there needs a rule with elevate.

    Of a host, it also names privileged accounts that logged on at it and left a password or a ticket, as far as the log
    tells: the administrators of the host have that.
    """
    from adzeguard.workspace.doors import counted, doors_after_charter, doors_now

    if also and not after_charter:
        raise UsageError("--also needs --after-charter", "See: adzeguard doors --help")
    if moment is not None and after_charter:
        raise UsageError("the charter changes what stands now", "Give --at or --after-charter")
    workspace = looking(folder, moment)
    if after_charter:
        table = doors_after_charter(workspace, name, also)
        put_view(table, form, output)
        return Exit.TO_REPORT if any(row["after"] != "stays" for row in table.rows) else Exit.NOTHING_TO_REPORT
    put_view(doors_now(workspace, name) if name or everything else counted(workspace), form, output)
    return Exit.NOTHING_TO_REPORT
