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
@click.option("--person", default="", metavar="NAME", help="Only changes of this member.", shell_complete=names())
@click.option(
    "--by", "by", default="", metavar="NAME", help="Only changes by this account.", shell_complete=names("user")
)
@click.option("--since", type=MOMENT, metavar="TIME", help="Only from then on.")
@click.option("--until", type=MOMENT, metavar="TIME", help="Only up to then.")
@click.option("--outside", default="", metavar="HOURS", help="Only at other hours, such as 'Mon-Fri 07:00-19:00'.")
@click.option("--direct", is_flag=True, help="Only changes of the group itself, not of groups inside it.")
@click.option("--undeclared", is_flag=True, help="Only changes that were not made by Adzeguard.")
@click.option("--ask-directory", is_flag=True, help="Ask the directory for the time of changes without a log.")
@click.option("--drawn", is_flag=True, help="Draw who was inside GROUP when, with leases and decisions.")
@click.option(
    "--picture",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Draw the same into a picture: .png, .svg or .pdf.",
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

    Changes of groups that led into GROUP at that time are included, with the way; --direct leaves them out. Without
    GROUP every group is shown. The source is the log that adzeguard trail import has read; without a log, our own
    journal, or the two collections between which a membership changed. Some directories keep when each membership last
    changed: --ask-directory asks them.

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
