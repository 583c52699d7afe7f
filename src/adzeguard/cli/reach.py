"""adzeguard reach."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.group_objects import one_group
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put, put_view

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal
    from adzeguard.core.rights.reach import ReachGraph


@click.command("reach", epilog=example("adzeguard reach 'LOWMERE\\Domain Admins' --cut"))
@click.argument("group", shell_complete=names("group"))
@click.option("--cut", is_flag=True, help="Propose the fewest things to take away so that only the named reach it.")
@click.option("--name", "also", multiple=True, metavar="WHO", help="With --cut: somebody more who may reach it.")
@click.option("--with-directory", is_flag=True, help="Also through those who control the whole directory anyway.")
@listing_options
@workspace_option
def command(
    group: str,
    cut: bool,
    also: tuple[str, ...],
    with_directory: bool,
    form: str,
    output: Path | None,
    workspace: Path | None,
) -> int:
    """Show everybody who is in a group, and everybody who could make themselves a member by the rights they hold.

    Rights are to change its members, its rights or its owner, to reset the password of a member, and the same over
    groups and OUs that lead there. With --cut: the smallest set of grants and memberships to take away so that only
    those reach it whom the charter names for the group, and who loses by that. Those who control the whole directory
    are counted; --with-directory names them.

    Keys of json and csv: name, qualified_name, sid, kind, enabled, member, steps, chain; with --cut: what, kind.
    """
    from adzeguard.core.rights.reach import ReachFinder, reaching, ruling_people
    from adzeguard.core.views.rights import reach_table

    desk = Desk(workspace)
    found_group = one_group(desk, group)
    graph = ReachFinder(desk.rights, with_directory=with_directory).graph(found_group.id)
    if cut:
        return _cut(desk, found_group, graph, also, form, output)
    ways = reaching(desk.estate, graph)
    ruling = set() if with_directory else ruling_people(desk.estate) - {way.principal.id for way in ways}
    put_view(reach_table(ways, found_group.qualified_name, len(ruling)), form, output)
    return Exit.TO_REPORT if any(not r.member for r in ways) else Exit.NOTHING_TO_REPORT


def _cut(
    desk: Desk, group: "Principal", graph: "ReachGraph", also: tuple[str, ...], form: str, output: Path | None
) -> int:
    from adzeguard.core.change.reach_impact import weighed
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.review.proposed_cut import cut_draft, proposed_cut
    from adzeguard.core.views.changes import impact_lines
    from adzeguard.core.views.page import Page
    from adzeguard.core.views.rights import cut_table

    named = [resolve(desk.estate, name) for name in also]
    cut = proposed_cut(desk.rights, desk.charter, group, graph, named)
    put_view(cut_table(cut, group.qualified_name), form, output)
    changes = cut_draft(desk.rights, cut).changes
    if form == "table" and output is None and changes:
        put("\n")
        put_view(Page({}, [impact_lines(weighed(desk.privilege, changes))]), "table")
    return Exit.TO_REPORT if cut.edges or cut.stays_open else Exit.NOTHING_TO_REPORT
