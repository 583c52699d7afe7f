"""adzeguard compare."""

from dataclasses import asdict
from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view


@click.command("compare", epilog=example("adzeguard compare 10m"))
@click.argument("before", type=MOMENT, metavar="TIME")
@click.argument("after", type=MOMENT, required=False, metavar="[TIME]")
@listing_options
@workspace_option
def command(before: datetime, after: datetime | None, form: str, output: Path | None, workspace: Path | None) -> int:
    """Show who gained and lost membership between two moments, or between one and now.

    Effective memberships as well as direct ones, of directory groups and of the local groups of hosts.
    Ends with 3 when anything differs.

    Keys of json and csv: subject, change, member, kind, direct.
    """
    from adzeguard.core.access.compare import compare
    from adzeguard.core.views.changes import compared_table

    store = Desk(workspace).store
    differences = [asdict(one) for one in compare(store.load(before), store.load(after))]
    put_view(compared_table(differences), form, output)
    return Exit.TO_REPORT if differences else Exit.NOTHING_TO_REPORT
