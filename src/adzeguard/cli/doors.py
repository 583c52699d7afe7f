"""adzeguard doors."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from collections.abc import Iterator

    from adzeguard.core.access.doors import Door, Doors

_NAMED = 8


@click.command("doors", epilog=example("adzeguard doors KIOSK-07"))
@click.argument("name", required=False, default="", metavar="[PERSON|HOST]", shell_complete=names("user", "computer"))
@click.option("--all", "everything", is_flag=True, help="Every way of everybody into every host, one by one.")
@click.option("--after-charter", is_flag=True, help="Also what becomes of each when the charter is enacted.")
@click.option("--also", multiple=True, metavar="RULE", help="With --after-charter: also what this rule says.")
@listing_options
@workspace_option
def command(
    name: str,
    everything: bool,
    after_charter: bool,
    also: tuple[str, ...],
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    """Show by which doors people get into hosts as administrators: a directory group, a direct entry, a local account.

    Without a name the doors are counted, those that let in most first. With --after-charter each door stays, goes
    (another stays open), or was the last and is lost (loses); comes is a new one. Who loses a host and ran programs
    elevated there, as far as the host logs it, needs a rule with elevate for them.

    Keys of json and csv: person, host, door, through, path, after, needs; counted: through, door, people, hosts.
    """
    from adzeguard.core.access.doors import Doors, lost_hosts, programs_needed, what_becomes
    from adzeguard.core.change.kinds.elevation import GiveElevation
    from adzeguard.core.change.outlook import outlook
    from adzeguard.core.views.doors import counted_table, doors_table
    from adzeguard.core.wording import some_of

    if also and not after_charter:
        raise UsageError("--also means something only with --after-charter")
    workspace = opened(folder)
    now = Doors(workspace.estate)
    if not (name or everything or after_charter):
        put_view(counted_table(now.counted()), form, output)
        return Exit.NOTHING_TO_REPORT
    if not after_charter:
        put_view(doors_table(((door, "") for door in _asked(workspace, now, name)), f"Doors{_of(name)}"), form, output)
        return Exit.NOTHING_TO_REPORT
    changes = workspace.charter_draft(also).changes
    then = outlook(workspace.estate, changes)
    later = Doors(workspace.estate, then.graph, then.administrators)
    doors = list(what_becomes(_asked(workspace, now, name), _asked(workspace, later, name)))
    given = [(c.host, c.who.sid, c.program) for c in changes if isinstance(c, GiveElevation)]
    needed = programs_needed(workspace.estate, doors, given)
    lost = [f"{person} ({count})" for person, count in lost_hosts(doors).items()]
    note = f"Lose hosts ({len(lost)}): {some_of(lost, _NAMED)}" if lost else "Nobody loses a host."
    if needed:
        note += "\nWhat they ran elevated, as far as hosts log it, a rule with elevate can let them go on running."
    put_view(doors_table(doors, f"Doors{_of(name)}, before and after the charter", note, needed), form, output)
    return Exit.TO_REPORT if any(becomes != "stays" for _, becomes in doors) else Exit.NOTHING_TO_REPORT


def _of(name: str) -> str:
    return f": {name}" if name else ""


def _asked(workspace: Workspace, doors: "Doors", name: str) -> "Iterator[Door]":
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.principal import Kind

    if not name:
        return doors.all()
    found = resolve(workspace.estate, name)
    if found.kind == Kind.COMPUTER:
        host = workspace.estate.host_named(found.name)
        if host is None or host.state is None:
            why = host.why_unknown if host is not None else "it is no host"
            raise UsageError(
                f"nothing is known of {found.qualified_name}: {why}", "Run adzeguard collect when it is on"
            )
        return doors.into(host)
    if found.kind != Kind.USER:
        raise UsageError(f"{found.qualified_name} is {found.kind.one}", "Name a person or a host")
    return doors.of(found.sid or "")
