"""adzeguard picture."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import say
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.views.pictures import Drawing

_KINDS = ("headcount", "findings", "ages", "hosts", "nesting", "reach")
_OF_A_GROUP = ("nesting", "reach")
_ENDINGS = (".png", ".svg", ".pdf")
_MOMENTS = 60
_PEOPLE = 24


@click.command("picture", cls=HeadedCommand, epilog=example("adzeguard picture ages --output ages.png"))
@click.argument("kind", type=click.Choice(_KINDS))
@click.argument("group", required=False, metavar="[GROUP]", shell_complete=names("group"))
@click.option(
    "--focus", metavar="NAME", shell_complete=names(), help="With nesting: emphasize the way of this account."
)
@click.option("--over-hosts", is_flag=True, help="With reach: also over hosts where a member left something.")
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    required=True,
    metavar="FILE",
    help="The picture: .png, .svg or .pdf.",
)
@workspace_option
def command(
    kind: str, group: str | None, focus: str | None, over_hosts: bool, output: Path, folder: Path | None
) -> int:
    """Draw a picture.

    headcount: accounts inside privileged groups over time. findings: findings by week. ages: time since accounts were
    used. hosts: people by the number of hosts they administer. nesting GROUP: the groups inside it. reach GROUP: who
    could become a member, and the smallest cut; --over-hosts draws hosts as squares, with who logged on there.
    """
    if output.suffix.casefold() not in _ENDINGS:
        raise UsageError(f"'{output}' is no picture", f"Name it {', '.join(_ENDINGS)}")
    if (group is not None) != (kind in _OF_A_GROUP):
        raise UsageError(f"{kind} wants {'a GROUP' if group is None else 'no group'}", "See: adzeguard picture --help")
    for given, its_kind, option in ((focus, "nesting", "--focus"), (over_hosts, "reach", "--over-hosts")):
        if given and kind != its_kind:
            raise UsageError(f"{option} is for a picture of {its_kind}", "See: adzeguard picture --help")
    try:
        from adzeguard.report import pictures
    except ModuleNotFoundError as error:
        raise UsageError("drawing needs an extra package", "pip install 'adzeguard[figures]'") from error
    workspace = looking(folder)
    if kind in _OF_A_GROUP:
        what = _reach(workspace, str(group), over_hosts) if kind == "reach" else _nesting(workspace, str(group), focus)
        if len(what.nodes) > pictures.MOST_NODES:
            raise UsageError(f"{len(what.nodes)} things are too many to draw", "Draw a group inside it")
        pictures.drawing(what, output)
    else:
        _draw(workspace, kind, output)
    say(f"Drawn: {output}")
    return Exit.NOTHING_TO_REPORT


def _draw(workspace: Workspace, kind: str, output: Path) -> None:
    from adzeguard.core.views import pictures as seen
    from adzeguard.report import pictures

    if kind == "headcount":
        estates = (workspace.store.load(moment) for moment in workspace.store.moments(_MOMENTS))
        pictures.headcount(seen.headcount(estates, workspace.privileged), output)
    elif kind == "findings":
        weeks = workspace.checked.by_week()
        if not weeks:
            raise UsageError("nothing was checked yet", "Run: adzeguard check")
        pictures.findings(weeks, output)
    elif kind == "ages":
        pictures.ages(seen.ages(workspace.estate, workspace.now()), output)
    else:
        pictures.places(seen.people_by_place(workspace.estate, _PEOPLE), output)


def _nesting(workspace: Workspace, group: str, focus: str | None) -> "Drawing":
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.views.pictures import nesting

    return nesting(
        workspace.estate, resolve(workspace.estate, group), resolve(workspace.estate, focus) if focus else None
    )


def _reach(workspace: Workspace, group: str, over_hosts: bool) -> "Drawing":
    from adzeguard.core.review.proposed_cut import proposed_cut
    from adzeguard.core.rights.reach import ruling_people
    from adzeguard.core.rights.reach_words import reaching, ways_over_hosts
    from adzeguard.core.views.pictures import reach
    from adzeguard.workspace.reaching import reach_graph

    found, graph = reach_graph(workspace, group, over_hosts=over_hosts)
    ruling = ruling_people(workspace.estate, found)
    if over_hosts:
        ways = ways_over_hosts(workspace.estate, graph, ruling).told
    else:
        ways = reaching(workspace.estate, graph, but=ruling)
    return reach(workspace.estate, found, graph, ways, proposed_cut(workspace.rights, workspace.charter, found, graph))
