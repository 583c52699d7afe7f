"""adzeguard history."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view


@click.command("history", epilog=example("adzeguard history 'LOWMERE\\Domain Admins'"))
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
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    """Show who was put into a group or taken out, by whom, when, from where, and whether it is still so.

    What was done to groups that led into GROUP at that time counts too, with the way; --direct leaves it out. Without
    GROUP every group is shown. It is told by what adzeguard trail import has read; where that has nothing, by our own
    journal, or by two collections that saw it differ, between which it was. Some directories keep when each membership
    was last changed: --ask-directory asks for that, and source is directory then.

    Keys of json and csv: time, verb, group, group_sid, member, member_sid, via, by, by_sid, from, source, declared,
    still.
    """
    from adzeguard.workspace.past import Wish, history_of

    wish = Wish(group, person, by, since, until, outside, direct, undeclared, ask_directory)
    put_view(history_of(looking(folder), wish), form, output)
    return Exit.NOTHING_TO_REPORT
