"""adzeguard logons."""

from datetime import datetime, timedelta
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say


@click.command("logons", epilog=example("adzeguard logons --since 30d"))
@click.argument("account", required=False, shell_complete=names())
@click.option("--since", type=MOMENT, metavar="TIME", help="From then on: 2026-11-20, 90d; otherwise 30 days.")
@listing_options
@workspace_option
def command(account: str | None, since: datetime | None, form: str, output: Path | None, folder: Path | None) -> int:
    """Show when and from where each privileged account was used last, and from where it is tried in vain.

    Who was not used at all stands first: that need not be privileged. With ACCOUNT, each of its logons. Told by what
    adzeguard trail import has read.

    Keys of json and csv: account, account_sid, last_used, last_host, last_from, logons, refused, refused_from. With
    ACCOUNT: time, outcome, host, from.
    """
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.views.logons import logons_table, used_rows, used_table
    from adzeguard.workflows.identities import Identities
    from adzeguard.workflows.past_members import people_in, privileged_logons

    workspace = opened(folder)
    past, begin = workspace.past, since or workspace.now() - timedelta(days=30)
    identities = Identities(past.estate, past.store)
    if account:
        about = resolve(workspace.estate, account)
        events = past.trail.since(begin, ("logon", "refused"))
        theirs = [one for one in events if identities.key(one.member, one.member_sid) == about.sid]
        put_view(logons_table(theirs, about.qualified_name), form, output)
    else:
        people = {sid: one.qualified_name for sid, one in people_in(past, workspace.privileged).items()}
        logons = privileged_logons(past, workspace.privileged, begin, identities)
        put_view(used_table(used_rows(people, logons), begin, workspace.now()), form, output)
    first, _ = past.trail.span()
    if first is None:
        say("The trail is empty. Read a log: adzeguard trail import FILE")
    elif first > begin:
        say(f"The trail begins on {first.astimezone():%Y-%m-%d}.")
    return Exit.NOTHING_TO_REPORT
