"""adzeguard why."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.access.members import Access
    from adzeguard.core.estate.estate import Estate
    from adzeguard.core.estate.principal import Principal


@click.command("why", epilog=example(r"adzeguard why orla.fenn 'LOWMERE\Domain Admins'"))
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

    TARGET is a group or a host; --in and --on say which of both where a group and a host are called alike.

    Keys of json: person, target, leads_there, chain (name, sid, kind, how). Ends with 0 either way.
    """
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.views.chain import chain_page

    if [target, group, host].count(None) != 2:  # noqa: PLR2004 - one of the three
        raise UsageError("say one group or one host that they are to be inside", "See: adzeguard why --help")
    estate = opened(folder, moment).estate
    member = resolve(estate, person)
    subject, access = _on_host(estate, member, host) if host else _inside(estate, member, group or target or "")
    put_view(chain_page(member.qualified_name, subject, access), form, output)
    return Exit.NOTHING_TO_REPORT


def _inside(estate: "Estate", member: "Principal", name: str) -> tuple[str, "Access | None"]:
    from adzeguard.core.access.members import proof_in_group
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.principal import Kind

    target = resolve(estate, name)
    if target.kind == Kind.COMPUTER:
        return _on_host(estate, member, target.name)
    if target.kind != Kind.GROUP:
        way_out = f"Where it is inside: adzeguard show {target.name}"
        raise UsageError(f"{target.qualified_name} is {target.kind.one}, not a group or host", way_out)
    return target.qualified_name, proof_in_group(estate, member, target)


def _on_host(estate: "Estate", member: "Principal", name: str) -> tuple[str, "Access | None"]:
    from adzeguard.core.access.members import members_on_host
    from adzeguard.core.estate.names import resolve_host

    host = resolve_host(estate, name)
    if host.state is None:
        raise UsageError(f"nothing is known of {host.name}: {host.why_unknown}", "Run adzeguard collect when it is on")
    access = next((a for a in members_on_host(estate, host) if a.principal == member), None)
    return rf"{host.name}\administrators", access
