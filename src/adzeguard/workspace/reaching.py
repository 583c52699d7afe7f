"""Who could get into a group by the rights they hold: the views of a workspace."""

from collections.abc import Iterator
from datetime import timedelta
from typing import TYPE_CHECKING

from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.over_hosts import OverHosts
from adzeguard.core.rights.reach import ReachFinder, ruling_people
from adzeguard.core.rights.reach_graph import ReachGraph
from adzeguard.core.rights.reach_words import Reaching, reaching, ways_over_hosts
from adzeguard.core.views.rights import reach_over_hosts_table, reach_table
from adzeguard.core.views.table import Table
from adzeguard.store.seen_on import SeenOnHosts
from adzeguard.workflows.left_on_hosts import LeftOnHosts
from adzeguard.workspace.members import group_called

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def reach_graph(
    workspace: "Workspace", name: str, *, with_directory: bool = False, over_hosts: bool = False
) -> tuple[Principal, ReachGraph]:
    """Return a group, and the ways that lead into it."""
    group = group_called(workspace, name)
    return group, _finder(workspace, with_directory, over_hosts).graph(group.id)


def _finder(workspace: "Workspace", with_directory: bool, over_hosts: bool) -> ReachFinder:
    over = hosts_on_ways(workspace) if over_hosts else None
    return ReachFinder(workspace.standard_rights, with_directory=with_directory, over=over)


def hosts_on_ways(workspace: "Workspace") -> OverHosts:
    """Return who administers the hosts, and what was left on them in the days that checks look back."""
    return OverHosts(workspace.estate, left_lately(workspace), workspace.looked_from)


def left_lately(workspace: "Workspace") -> LeftOnHosts:
    """Return what was left on hosts in the days that checks look back."""
    until = workspace.looked_from
    since = until - timedelta(days=workspace.settings.past_days)
    # What hosts say is of now: of a past moment the log alone tells.
    seen = SeenOnHosts(workspace.database) if workspace.past_moment is None else None
    return LeftOnHosts(workspace.trail, workspace.estate, since, until, seen)


def ways_into_privileged(workspace: "Workspace") -> Iterator[tuple[Principal, Reaching]]:
    """Yield the ways into each privileged group, over hosts as well, but for those who rule its domain anyway."""
    finder = _finder(workspace, with_directory=False, over_hosts=True)
    for group in workspace.privileged:
        ruling = ruling_people(workspace.estate, group)
        found = ways_over_hosts(workspace.estate, finder.graph(group.id), ruling)
        yield from ((group, way) for way in found.told if way.principal.id not in ruling)


def who_reaches(workspace: "Workspace", name: str, *, with_directory: bool = False, over_hosts: bool = False) -> Table:
    """Return everybody who is in a group, or could make themselves a member by the rights they hold.

    `over_hosts` takes in who administers a host on which a member left something.
    """
    group, finder = group_called(workspace, name), _finder(workspace, with_directory, over_hosts)
    graph = finder.graph(group.id)
    ruling = set() if with_directory else ruling_people(workspace.estate, group)
    if not over_hosts:
        ways = reaching(workspace.estate, graph, but=ruling)
        return reach_table(ways, group.qualified_name, len(ruling - {way.principal.id for way in ways}))
    found = ways_over_hosts(workspace.estate, graph, ruling)
    return reach_over_hosts_table(found, group.qualified_name, len(finder.open_hosts(graph)))
