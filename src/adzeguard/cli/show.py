"""adzeguard show."""

from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.cli.completing import names
from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import put_view, say

if TYPE_CHECKING:
    from adzeguard.core.charter.resolve import ResolvedCharter
    from adzeguard.core.views.page import Section


@click.command("show", epilog=example("adzeguard show KIOSK-07"))
@click.argument("name", shell_complete=names())
@card_options
@at_option
@workspace_option
def command(name: str, form: str, output: Path | None, moment: datetime | None, workspace: Path | None) -> int:
    """Show one object with its memberships both ways.

    For a host also its local groups, and the rules that hold there: from which scope, and which one decides.
    """
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.principal import Kind
    from adzeguard.core.views.logon_week import logon_week
    from adzeguard.core.views.object_page import object_data, object_page

    desk = Desk(workspace, moment)
    shown = resolve(desk.estate, name)
    data = object_data(desk.estate, shown)
    host = desk.estate.hosts_by_name.get(shown.name.casefold()) if shown.kind == Kind.COMPUTER else None
    sections: list[Section] = [*logon_week(shown, desk.now().astimezone().utcoffset() or timedelta())]
    of_host: dict[str, Any] = {}
    if host is not None:
        from adzeguard.core.views.host_page import host_data, host_sections

        of_host = host_data(desk.estate, _charter(desk), host)
        sections += host_sections(of_host)
    put_view(object_page(data, sections, of_host), form, output)
    return Exit.NOTHING_TO_REPORT


def _charter(desk: Desk) -> "ResolvedCharter | None":
    from adzeguard.core.errors import CharterError

    try:
        return desk.charter
    except CharterError as error:
        say(f"The rules are not shown, since the charter cannot be read:\n{error.message}")
        return None
