"""adzeguard why."""

from collections.abc import Mapping
from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError


@click.command("why", cls=HeadedCommand, epilog=example(r"adzeguard why orla.fenn 'LOWMERE\Domain Admins'"))
@click.argument("person", shell_complete=names())
@click.argument("target", required=False, shell_complete=names("group", "computer"))
@click.option(
    "--in", "group", metavar="GROUP", help="Why they are in this directory group.", shell_complete=names("group")
)
@click.option(
    "--on", "host", metavar="HOST", help="Why they are an administrator of this host.", shell_complete=names("computer")
)
@card_options
@at_option
@workspace_option
def command(
    person: str,
    target: str | None,
    group: str | None,
    host: str | None,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show the shortest chain that makes somebody a member of a group or an administrator of a host.

    TARGET is a group or a host; --in and --on say which of both where a group and a host are called alike. Ends with
    3 if no way leads there, and with 4 where a group of another domain decides, since nobody here knows who is in it.
    """
    from adzeguard.workspace.members import chain_to

    if [target, group, host].count(None) != 2:  # noqa: PLR2004 - one of the three
        raise UsageError("say one group or one host that they are to be inside", "See: adzeguard why --help")
    page = chain_to(looking(folder, moment), person, group=group or target or "", host=host or "")
    put_view(page, form, output)
    leads_there = isinstance(page.data, Mapping) and page.data["leads_there"]
    return {True: Exit.NOTHING_TO_REPORT, None: Exit.DONE_IN_PART}.get(leads_there, Exit.TO_REPORT)
