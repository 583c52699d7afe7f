"""Who could get into a group by the rights they hold: the views of a workspace."""

from typing import TYPE_CHECKING

from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.reach import ReachFinder, ruling_people
from adzeguard.core.rights.reach_graph import ReachGraph
from adzeguard.core.rights.reach_words import reaching
from adzeguard.core.views.rights import reach_table
from adzeguard.core.views.table import Table
from adzeguard.workspace.members import group_called

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def reach_graph(workspace: "Workspace", name: str, *, with_directory: bool = False) -> tuple[Principal, ReachGraph]:
    """Return a group, and the ways that lead into it."""
    group = group_called(workspace, name)
    return group, ReachFinder(workspace.rights, with_directory=with_directory).graph(group.id)


def who_reaches(workspace: "Workspace", name: str, *, with_directory: bool = False) -> Table:
    """Return everybody who is in a group, or could make themselves a member by the rights they hold."""
    group, graph = reach_graph(workspace, name, with_directory=with_directory)
    ruling = set() if with_directory else ruling_people(workspace.estate, group)
    ways = reaching(workspace.estate, graph, but=ruling)
    more = len(ruling - {way.principal.id for way in ways})
    return reach_table(ways, group.qualified_name, more)
