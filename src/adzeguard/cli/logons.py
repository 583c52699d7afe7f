"""adzeguard logons."""

from datetime import datetime, timedelta
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import UsageError


@click.command("logons", cls=HeadedCommand, epilog=example("adzeguard logons --since 30d"))
@click.argument("account", required=False, shell_complete=names())
@click.option("--on", "host", metavar="HOST", shell_complete=names(), help="Who logged on to a host, or works there.")
@click.option("--since", type=MOMENT, metavar="TIME", help="From then on: 2026-11-20, 90d; otherwise 30 days.")
@listing_options
@workspace_option
def command(
    account: str | None, host: str | None, since: datetime | None, form: str, output: Path | None, folder: Path | None
) -> int:
    """Show when and from where each privileged account was used last, and from where it is tried in vain.

    Accounts that were not used at all stand first: they may not need their privileges. With ACCOUNT, each of its logons
    is listed. The source is the log that adzeguard trail import has read; without a log, the directory's own time of
    the last logon, which can be two weeks late. The host that is told is the computer that proved itself to the server;
    the name that the client claims stands beside it.

    --on HOST shows everybody who logged on to a host, each way once, privileged accounts first. What the host said when
    it was last collected stands beside the log: who works there, whose ticket lies there, who came by a public key.
    """
    from adzeguard.workspace.past import logons, logons_on

    if host and account:
        raise UsageError("ACCOUNT and --on are two questions", "Give one of them")
    workspace = looking(folder)
    begin = since or workspace.now() - timedelta(days=30)
    put_view(logons_on(workspace, host, begin) if host else logons(workspace, account or "", begin), form, output)
    first, _ = workspace.trail.span()
    if first is None:
        say("The trail is empty. Read a log: adzeguard trail import FILE")
    elif first > begin:
        say(f"The trail begins on {first.astimezone():%Y-%m-%d}.")
    return Exit.NOTHING_TO_REPORT
