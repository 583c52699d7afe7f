"""adzeguard history."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError


@click.command("history", cls=HeadedCommand, epilog=example("adzeguard history 'LOWMERE\\Domain Admins'"))
@click.argument("group", required=False, default="", shell_complete=names("group"))
@click.option("--person", default="", metavar="NAME", help="Only who was put in or taken out.", shell_complete=names())
@click.option(
    "--by", "by", default="", metavar="NAME", help="Only what this account did.", shell_complete=names("user")
)
@click.option("--since", type=MOMENT, metavar="TIME", help="Only from then on.")
@click.option("--until", type=MOMENT, metavar="TIME", help="Only up to then.")
@click.option("--outside", default="", metavar="HOURS", help="Only at other hours, such as 'Mon-Fri 07:00-19:00'.")
@click.option("--direct", is_flag=True, help="Only what was done to the group itself, not to groups inside it.")
@click.option("--undeclared", is_flag=True, help="Only what was not done from here.")
@click.option("--ask-directory", is_flag=True, help="Ask it when, where two collections alone tell of something.")
@click.option("--drawn", is_flag=True, help="Draw who was inside GROUP when, with leases and decisions.")
@click.option(
    "--picture",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="The same as a picture: .png, .svg or .pdf.",
)
@listing_options
@workspace_option
def command(
    group: str,
    person: str,
    by: str,
    since: datetime | None,
    until: datetime | None,
    outside: str,
    direct: bool,
    undeclared: bool,
    ask_directory: bool,
    drawn: bool,
    picture: Path | None,
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    """Show who was put into a group or taken out, by whom, when, from where, and whether it is still so.

    What was done to groups that led into GROUP at that time counts too, with the way; --direct leaves it out. Without
    GROUP every group is shown. It is told by what adzeguard trail import has read; where that has nothing, by our own
    journal, or by two collections that saw it differ, between which it was. Some directories keep when each membership
    was last changed: --ask-directory asks for that, and source is directory then.

    --drawn and --picture take GROUP, and --since, which is 30 days ago otherwise.
    """
    from adzeguard.workspace.past import Wish, history_of

    if drawn or picture is not None:
        _only_group_and_since(group, person, by, outside, until is not None, direct, undeclared, ask_directory)
        _draw(group, since, picture, form, output, folder)
        return Exit.NOTHING_TO_REPORT
    wish = Wish(group, person, by, since, until, outside, direct, undeclared, ask_directory)
    put_view(history_of(looking(folder), wish), form, output)
    return Exit.NOTHING_TO_REPORT


def _draw(
    group: str, since: datetime | None, picture: Path | None, form: str, output: Path | None, folder: Path | None
) -> None:
    from adzeguard.cli.drawn import draw_into, refuse_other_forms
    from adzeguard.core.views.timeline import timeline_page
    from adzeguard.workspace.past import timeline

    if picture is not None:
        refuse_other_forms(picture)
    line = timeline(looking(folder), group, since)
    if picture is None:
        put_view(timeline_page(line), form, output)
    else:
        draw_into(picture, line)


def _only_group_and_since(group: str, *others: object) -> None:
    if not group:
        raise UsageError("a drawing is of one group", "Give it: adzeguard history GROUP --drawn")
    if any(others):
        raise UsageError("a drawing shows everybody who was inside", "Give GROUP and --since alone")
