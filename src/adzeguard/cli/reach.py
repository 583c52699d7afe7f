"""adzeguard reach."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.cli.completing import names
from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.group_objects import one_group
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put, put_listing

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal


@click.command("reach", epilog=example("adzeguard reach 'LOWMERE\\Domain Admins' --cut"))
@click.argument("group", shell_complete=names("group"))
@click.option("--cut", is_flag=True, help="Propose the fewest things to take away so that only the named reach it.")
@click.option("--name", "also", multiple=True, metavar="WHO", help="With --cut: somebody more who may reach it.")
@click.option("--with-directory", is_flag=True, help="Also through those who control the whole directory anyway.")
@listing_options
@workspace_option
def command(
    group: str, cut: bool, also: tuple[str, ...], with_directory: bool, form: str, output: Path | None,
    workspace: Path | None,
) -> int:  # fmt: skip
    """Show everybody who is in a group, and everybody who could make themselves a member by the rights they hold.

    Rights are to change its members, its rights or its owner, to reset the password of a member, and the same over
    groups and OUs that lead there. With --cut: the smallest set of grants and memberships to take away so that only
    those reach it whom the charter names for the group, and who loses by that.

    Keys of json and csv: name, qualified_name, sid, kind, enabled, member, steps, chain; with --cut: what, kind.
    """
    from adzeguard.core.rights.reach import ReachFinder, reaching
    from adzeguard.report.rights import reach_listing

    desk = Desk(workspace)
    found_group = one_group(desk, group)
    graph = ReachFinder(desk.rights, with_directory=with_directory).graph(found_group.id)
    if cut:
        return _cut(desk, found_group, graph, also, form, output)
    found = reaching(desk.estate, graph)
    put_listing(reach_listing(found, found_group.qualified_name), form, output)
    return Exit.TO_REPORT if any(not r.member for r in found) else Exit.NOTHING_TO_REPORT


def _cut(desk: Desk, group: "Principal", graph: Any, also: tuple[str, ...], form: str, output: Path | None) -> int:
    from adzeguard.core.change.by_hand.members import cut_changes
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.review.proposed_cut import proposed_cut
    from adzeguard.report.changes import impact_text
    from adzeguard.report.rights import cut_listing

    named = [resolve(desk.estate, name) for name in also]
    proposal = proposed_cut(desk.rights, desk.charter, group, graph, named)
    put_listing(cut_listing(proposal, group.qualified_name), form, output)
    changes = cut_changes(desk.rights, proposal)
    if form == "table" and output is None and changes:
        from adzeguard.cli.enacting import hand_proposal
        from adzeguard.cli.output import colour
        from adzeguard.core.change.by_hand.objects import HandProposal
        from adzeguard.core.change.order import numbered

        proposal = hand_proposal(desk, HandProposal(numbered(changes)))
        put("\n" + impact_text(proposal, colour=colour()))
    return Exit.TO_REPORT if proposal.edges or proposal.stays_open else Exit.NOTHING_TO_REPORT
