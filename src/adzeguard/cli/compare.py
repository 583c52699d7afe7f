"""adzeguard compare."""

from dataclasses import asdict
from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_listing


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
    from adzeguard.report.listing import Column, Listing

    store = Desk(workspace).store
    found = list(compare(store.load(before), store.load(after)))
    rows = [asdict(one) | {"_how": "directly" if one.direct else "through others"} for one in found]
    columns = (
        Column("subject", "Where"), Column("change", "Change", fixed=True), Column("member", "Who", ratio=1),
        Column("_how", "How", fixed=True),
    )  # fmt: skip
    gained = sum(one.change == "gained" for one in found)
    note = f"{gained} gained, {len(found) - gained} lost"
    put_listing(Listing(rows, columns, "", note, "No membership differs."), form, output)
    return Exit.TO_REPORT if found else Exit.NOTHING_TO_REPORT
