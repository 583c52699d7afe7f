"""adzeguard who."""

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


@click.command("who", cls=HeadedCommand, epilog=example(r"adzeguard who 'LOWMERE\Domain Admins'"))
@click.argument("group", required=False, shell_complete=names("group"))
@click.option(
    "--on", "host", metavar="HOST", help="Who is a local administrator of this host.", shell_complete=names("computer")
)
@click.option("--local-group", metavar="NAME", help="With --on: another local group, like remote-desktop-users.")
@click.option("--hosts", "all_hosts", is_flag=True, help="Each person with the number of hosts they administer.")
@click.option(
    "--at-least", type=click.IntRange(1), default=1, metavar="N", help="With --hosts: only who administers so many."
)
@click.option("--groups", "all_groups", is_flag=True, help="Each group with the number of its effective members.")
@listing_options
@at_option
@workspace_option
def command(
    group: str | None,
    host: str | None,
    local_group: str | None,
    all_hosts: bool,
    at_least: int,
    all_groups: bool,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show who is effectively in a group, or an administrator of a host, and through what.

    Nested groups, primary groups and rings of groups are followed to the last member.
    """
    if sum((group is not None, host is not None, all_hosts, all_groups)) != 1:
        raise UsageError("name one group, or --on HOST, or --hosts, or --groups", "See: adzeguard who --help")
    if local_group and host is None:
        raise UsageError("--local-group needs --on", "See: adzeguard who --help")
    from adzeguard.workspace.members import all_groups as groups_of
    from adzeguard.workspace.members import in_group, on_all_hosts, on_host

    workspace = looking(folder, moment)
    if host is not None:
        table = on_host(workspace, host, local_group)
    elif all_hosts:
        table = on_all_hosts(workspace, at_least)
    elif all_groups:
        table = groups_of(workspace)
    else:
        table = in_group(workspace, group or "")
    put_view(table, form, output)
    return Exit.NOTHING_TO_REPORT
