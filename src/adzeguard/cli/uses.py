"""adzeguard uses."""

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


@click.command("uses", cls=HeadedCommand, epilog=example("adzeguard uses 'LOWMERE\\Kiosk Stewards'"))
@click.argument("name", required=False, shell_complete=names())
@click.option("--orphans", is_flag=True, help="Instead, list the SIDs that no longer belong to anyone.")
@listing_options
@at_option
@workspace_option
def command(
    name: str | None,
    orphans: bool,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show everything that names a group or an account: what would break if it went away.

    Memberships, grants and denials, rules and rosters of the charter, local groups, refusals and elevated programs on
    hosts, leases, waivers, who manages and who owns, links and filters of directory policies, and the file shares that
    collect --shares has read. What --orphans shows, adzeguard retire tidy takes out.

    What names it is a membership, grant, denial, rule, roster, local-group, refusal, elevation, lease, waiver,
    managed-by, owner, policy-link, policy-filter, share or share-denial. With --at, directory and hosts are as they
    stood then; the charter, leases, waivers and shares are those of now.
    """
    from adzeguard.workspace.cleaning import orphaned
    from adzeguard.workspace.cleaning import uses as uses_of

    if orphans == (name is not None):
        raise UsageError("say NAME or --orphans", "See: adzeguard uses --help")
    workspace = looking(folder, moment)
    put_view(orphaned(workspace) if name is None else uses_of(workspace, name), form, output)
    return Exit.NOTHING_TO_REPORT
