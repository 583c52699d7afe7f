"""adzeguard who."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import at_option, example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.views.table import Table


@click.command("who", epilog=example(r"adzeguard who 'LOWMERE\Domain Admins'"))
@click.argument("group", required=False, shell_complete=names("group"))
@click.option(
    "--host", metavar="HOST", help="Who is a local administrator of this host.", shell_complete=names("computer")
)
@click.option("--local-group", metavar="NAME", help="With --host: another local group, like remote-desktop-users.")
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

    Keys of json and csv: name, qualified_name, sid, kind, enabled, direct, how, path. With --hosts: name,
    qualified_name, sid, kind, enabled, hosts. With --groups: name, qualified_name, sid, kind, scope, members,
    effective_members.
    """
    if sum((group is not None, host is not None, all_hosts, all_groups)) != 1:
        raise UsageError("name one group, or --host HOST, or --hosts, or --groups", "See: adzeguard who --help")
    if local_group and host is None:
        raise UsageError("--local-group needs --host", "See: adzeguard who --help")
    workspace = opened(folder, moment)
    if host is not None:
        table = _on_host(workspace, host, local_group)
    elif all_hosts:
        table = _on_all_hosts(workspace, at_least)
    elif all_groups:
        table = _all_groups(workspace)
    else:
        table = _in_group(workspace, group or "")
    put_view(table, form, output)
    return Exit.NOTHING_TO_REPORT


def _in_group(workspace: Workspace, name: str) -> "Table":
    from adzeguard.core.access.members import members_of
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.principal import Kind
    from adzeguard.core.views.members import members_table

    resolved = resolve(workspace.estate, name)
    if resolved.kind == Kind.COMPUTER and workspace.estate.host_named(resolved.name) is not None:
        say(f"{resolved.name} is a host: these are its administrators, as --host shows them.")
        return _on_host(workspace, resolved.name, None)
    if resolved.kind != Kind.GROUP:
        way_out = f"Where it is inside: adzeguard show {resolved.name}"
        raise UsageError(f"{resolved.qualified_name} is {resolved.kind.one}, not a group", way_out)
    return members_table(members_of(workspace.estate, resolved), f"Effective members of {resolved.qualified_name}")


def _on_host(workspace: Workspace, name: str, local_group: str | None) -> "Table":
    from adzeguard.core.access.members import members_on_host
    from adzeguard.core.estate.names import resolve_host
    from adzeguard.core.views.members import members_table
    from adzeguard.core.wellknown import ADMINISTRATORS, LOCAL_GROUPS

    host = resolve_host(workspace.estate, name)
    label = local_group or "administrators"
    sid = LOCAL_GROUPS.get(label.casefold(), None if local_group else ADMINISTRATORS)
    if host.state is not None:
        named = host.state.group_named(label.removeprefix("local\\"))
        sid = sid or (named.sid if named else None)
        if sid is None or host.state.group(sid) is None:
            have = ", ".join(group.name for group in host.state.groups)
            raise UsageError(f"{host.name} has no local group '{label}'", f"It has: {have}")
    if host.trouble:
        say(f"{host.name} did not answer at the last collection: {host.trouble}")
    if host.state is None or sid is None:
        raise UsageError(f"nothing is known of {host.name}: {host.why_unknown}", "Run adzeguard collect when it is on")
    return members_table(members_on_host(workspace.estate, host, sid), rf"{host.name}\{label}")


def _on_all_hosts(workspace: Workspace, at_least: int) -> "Table":
    from adzeguard.core.access.members import hosts_per_person
    from adzeguard.core.views.members import administrators_table

    estate = workspace.estate
    counts = {person: count for person, count in hosts_per_person(estate).items() if count >= at_least}
    return administrators_table(
        counts, estate.catalogue.principals(counts), sum(host.state is not None for host in estate.hosts)
    )


def _all_groups(workspace: Workspace) -> "Table":
    from adzeguard.core.estate.counting import effective_people_counts
    from adzeguard.core.views.members import groups_table

    graph, catalogue = workspace.estate.graph, workspace.estate.catalogue
    counts = zip(graph.group_ids.tolist(), effective_people_counts(graph).tolist(), strict=True)
    groups = catalogue.principals(graph.group_ids.tolist())
    direct = {group: len(graph.direct_members(group)) + len(graph.primary_members(group)) for group in groups}
    return groups_table(groups, direct, dict(counts))
