"""adzeguard reach."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking, opened
from adzeguard.cli.options import at_option, example, listing_options, workspace_option
from adzeguard.cli.output import put, put_view, say
from adzeguard.cli.propose import write_proposal
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal
    from adzeguard.core.rights.reach_graph import ReachGraph


@click.command("reach", cls=HeadedCommand, epilog=example("adzeguard reach 'LOWMERE\\Domain Admins' --cut"))
@click.argument("group", shell_complete=names("group"))
@click.option("--cut", is_flag=True, help="Propose the fewest things to take away so that only the named reach it.")
@click.option("--name", "also", multiple=True, metavar="WHO", help="With --cut: another account that may reach it.")
@click.option("--over-hosts", is_flag=True, help="Also over hosts: who administers one where a member logged on.")
@click.option("--with-directory", is_flag=True, help="Also list those who control the whole directory.")
@listing_options
@at_option
@workspace_option
def command(
    group: str,
    cut: bool,
    also: tuple[str, ...],
    over_hosts: bool,
    with_directory: bool,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show everybody who is in a group, and everybody who could make themselves a member by the rights they hold.

    These rights count: to change its members, rights or owner; to sign in as a member in any way; to change or link a
    policy that applies to a member; to move an object to a place with more rights; to read the directory's secrets; and
    the same over groups and OUs that lead there. Accounts that control the whole directory are counted;
    --with-directory lists them.

    --over-hosts also follows hosts: an administrator of a host has the password or ticket that a member left there by
    logging on at its console, remotely, for a job or a service. The log tells which of the last 30 days ([checks]
    past_days) were such. What is still there comes first: a ticket lives for 10 hours, and may be renewed for 7 days.

    --cut shows the fewest grants and memberships to take away so that only the accounts that the charter names for the
    group reach it, and who would lose by that. --output then writes them as a proposal.
    """
    from adzeguard.workspace.reaching import reach_graph, who_reaches

    if cut and moment is not None:
        raise UsageError("a cut is made of what stands now", "Give --at or --cut")
    workspace = opened(folder) if cut else looking(folder, moment)
    if cut:
        graph = reach_graph(workspace, group, with_directory=with_directory, over_hosts=over_hosts)
        return _cut(workspace, *graph, also, form, output, " --over-hosts" if over_hosts else "")
    table = who_reaches(workspace, group, with_directory=with_directory, over_hosts=over_hosts)
    put_view(table, form, output)
    return Exit.TO_REPORT if any(not row["is_member"] for row in table.rows) else Exit.NOTHING_TO_REPORT


def _cut(
    workspace: Workspace,
    group: "Principal",
    graph: "ReachGraph",
    also: tuple[str, ...],
    form: str,
    output: Path | None,
    over_hosts: str,
) -> int:
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.review.proposed_cut import cut_draft, proposed_cut
    from adzeguard.core.views.changes import proposal_page
    from adzeguard.core.views.rights import cut_table

    with workspace.in_one_moment():
        named = [resolve(workspace.estate, name) for name in also]
        cut = proposed_cut(workspace.rights, workspace.charter, group, graph, named)
        made = workspace.proposed(cut_draft(workspace.rights, cut))
    put_view(cut_table(cut, group.qualified_name), form)
    if output is not None:
        write_proposal(made, output)
    elif form == "table" and made.proposal.changes:
        put("\n")
        put_view(proposal_page(made.proposal), "table")
        again = f"adzeguard reach '{group.qualified_name}'{over_hosts} --cut --output FILE"
        say(f"To make it: {again}, then adzeguard enact FILE")
    return Exit.TO_REPORT if cut.parts or cut.stays_open else Exit.NOTHING_TO_REPORT
