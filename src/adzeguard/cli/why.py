"""adzeguard why."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError


@click.command("why", epilog=example(r"adzeguard why 'LOWMERE\orla.fenn' --in 'LOWMERE\Domain Admins'"))
@click.argument("person", shell_complete=names())
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
    group: str | None,
    host: str | None,
    form: str,
    output: Path | None,
    moment: datetime | None,
    workspace: Path | None,
) -> int:
    """Show the shortest chain that makes somebody a member of a group or an administrator of a host.

    Keys of json: person, target, leads_there, chain (name, sid, kind, how). Ends with 0 either way.
    """
    from adzeguard.core.access.members import members_on_host, proof_in_group
    from adzeguard.core.estate.names import resolve, resolve_host
    from adzeguard.core.estate.principal import Kind
    from adzeguard.core.views.chain import chain_page

    if (group is None) == (host is None):
        raise UsageError("say --in GROUP or --on HOST", "See: adzeguard why --help")
    estate = Desk(workspace, moment).estate
    member = resolve(estate, person)
    if group is not None:
        target = resolve(estate, group)
        if target.kind != Kind.GROUP:
            raise UsageError(
                f"{target.qualified_name} is a {target.kind.label}, not a group", "Try: adzeguard show NAME"
            )
        subject, access = target.qualified_name, proof_in_group(estate, member, target)
    else:
        place = resolve_host(estate, host or "")
        subject = rf"{place.name}\administrators"
        if place.state is None:
            raise UsageError(
                f"nothing is known of {place.name}: {place.why_unknown}",
                "Run adzeguard collect when it is on",
            )
        access = next((a for a in members_on_host(estate, place) if a.principal == member), None)
    put_view(chain_page(member.qualified_name, subject, access), form, output)
    return Exit.NOTHING_TO_REPORT
