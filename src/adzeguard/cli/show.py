"""adzeguard show."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import colour, put, put_json


@click.command("show", epilog=example("adzeguard show KIOSK-07"))
@click.argument("name", shell_complete=names())
@card_options
@at_option
@workspace_option
def command(name: str, form: str, output: Path | None, moment: datetime | None, workspace: Path | None) -> int:
    """Show one object with its memberships both ways.

    For a host also its local groups, and the rules that hold there: from which scope, and which one decides.
    """
    from adzeguard.core.errors import CharterError
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.principal import Kind
    from adzeguard.report.looking import card, host_data, object_data

    desk = Desk(workspace, moment)
    found = resolve(desk.estate, name)
    data = object_data(desk.estate, found)
    host = desk.estate.hosts_by_name.get(found.name.casefold()) if found.kind == Kind.COMPUTER else None
    if host is not None:
        try:
            charter = desk.charter
        except CharterError as error:
            click.echo(f"The rules are not shown, since the charter cannot be read:\n{error.message}", err=True)
            charter = None
        of_host = host_data(desk.estate, charter, host)
        data |= {key: of_host[key] for key in ("trouble", "local_groups", "rules")}
    if form == "json":
        put_json(data, output)
    else:
        put(card(data, colour=output is None and colour()), output)
    return Exit.NOTHING_TO_REPORT
