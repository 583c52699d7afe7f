"""adzeguard hosts: what is reached, by what, whether it answers, and those that wait for their place."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.admit import command as admit
from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import at_option, example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.cli.standin import command as standin


@click.group(
    "hosts",
    cls=CommandGroup,
    alone="list",
    instead={"show": "adzeguard show HOST"},
    epilog=example("adzeguard hosts list"),
)
def command() -> None:
    """Look at the hosts: through which source each is reached, what it can, and whether it answers. Admit new ones."""


command.add_command(admit)
command.add_command(standin)


@command.command("list", epilog=example("adzeguard hosts list --trouble"))
@click.option("--source", metavar="NAME", help="Only hosts of this source; '' for hosts without one.")
@click.option("--trouble", is_flag=True, help="Only hosts that did not answer, or have no source.")
@listing_options
@at_option
@workspace_option
def list_hosts(
    source: str | None,
    trouble: bool,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """List every host with its source, what it can, when it answered last, and its trouble."""
    from adzeguard.core.views.hosts import hosts_table

    workspace = opened(folder, moment)
    wanted = [
        host
        for host in workspace.estate.hosts
        if not host.is_of_directory
        and (source is None or host.source == source)
        and (not trouble or host.trouble or not host.source)
    ]
    put_view(hosts_table(wanted, workspace.store.hosts_read_at()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("pending", epilog=example("adzeguard hosts pending"))
@click.option("--forget", is_flag=True, help="Forget the pending changes of these hosts.")
@click.option("--on", "patterns", multiple=True, metavar="PATTERN", help="Only hosts of these names, like KIOSK-0*.")
@listing_options
@workspace_option
def pending(patterns: tuple[str, ...], forget: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """List what is left for hosts that did not answer, with its age. adzeguard enact --pending makes it."""
    from adzeguard.workspace.pending import forgotten, left_for_hosts

    workspace = opened(folder)
    table = forgotten(workspace, patterns) if forget else left_for_hosts(workspace, patterns)
    put_view(table, form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("test", epilog=example("adzeguard hosts test KIOSK-07"))
@click.argument("host", shell_complete=names("computer"))
@listing_options
@workspace_option
def test_host(host: str, form: str, output: Path | None, folder: Path | None) -> int:
    """Try the connection to a host step by step, and say what works. Nothing is changed.

    Ends with 3 when something is in the way.
    """
    from adzeguard.core.estate.names import resolve_host
    from adzeguard.core.views.hosts import steps_table
    from adzeguard.workflows.host_trial import tried

    workspace = opened(folder)
    with workspace.hosts() as fleet:
        known = resolve_host(workspace.estate, host)
        steps = list(tried(fleet, known))
    put_view(steps_table(known.name, [(s.what, s.said, s.trouble) for s in steps]), form, output)
    return Exit.TO_REPORT if any(step.trouble for step in steps) else Exit.NOTHING_TO_REPORT


@command.command("drivers", epilog=example("adzeguard hosts drivers"))
@listing_options
def drivers(form: str, output: Path | None) -> int:
    """List the drivers by which hosts can be reached, and the keys of each in adzeguard.toml."""
    from adzeguard.core.views.hosts import drivers_table
    from adzeguard.settings.drivers import all_drivers

    put_view(drivers_table(all_drivers("hosts")), form, output)
    return Exit.NOTHING_TO_REPORT
