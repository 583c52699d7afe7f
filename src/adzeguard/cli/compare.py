"""adzeguard compare."""

from dataclasses import asdict
from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.wording import when


@click.command("compare", cls=HeadedCommand, epilog=example("adzeguard compare 10m"))
@click.argument("before", type=MOMENT, required=False, metavar="[TIME]")
@click.argument("after", type=MOMENT, required=False, metavar="[TIME]")
@listing_options
@workspace_option
def command(
    before: datetime | None, after: datetime | None, form: str, output: Path | None, folder: Path | None
) -> int:
    """Show what differs between two moments, between one and now, or since the collection before the last.

    Compares direct and effective members of directory groups and of local groups; objects that were made, deleted,
    moved or altered; directory policies and their links; and rights. Ends with 3 if anything differs.
    """
    from adzeguard.core.access.compare import compare
    from adzeguard.core.rights.altered import altered_objects
    from adzeguard.core.views.changes import compared_table

    workspace = looking(folder)
    if before is None:
        before = workspace.store.moment_before_last()
        if before is None:
            say("There is one collection so far, and nothing to compare it with. After the next: adzeguard compare")
            return Exit.NOTHING_TO_REPORT
        say(f"Since the collection before the last, of {when(before)}.")
    first = workspace.store.first_moment()
    if before < first:
        say(f"Nothing had been collected by {when(before)}. Compared with the first: {when(first)}.")
        before = first
    was, now = workspace.store.load(before), workspace.store.load(after)
    rights = workspace.rights_of(was), workspace.rights_of(now)
    hosts = workspace.store.altered_hosts(before, after)
    differences = [*compare(was, now, hosts), *altered_objects(*rights, workspace.store.altered(before, after))]
    put_view(compared_table([asdict(one) for one in differences]), form, output)
    return Exit.TO_REPORT if differences else Exit.NOTHING_TO_REPORT
