"""adzeguard show."""

from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, card_options, example, workspace_option
from adzeguard.cli.output import put_view

if TYPE_CHECKING:
    from adzeguard.core.views.page import Section


_TOLD_BETTER = ("policy_links", "enabled")
"""What is said of an OU in other words, or means nothing there."""
_NO_RULES = "The rules are not shown"


@click.command("show", cls=HeadedCommand, epilog=example("adzeguard show KIOSK-07"))
@click.argument("name", shell_complete=names())
@card_options
@at_option
@workspace_option
def command(name: str, form: str, output: Path | None, moment: datetime | None, folder: Path | None) -> int:
    """Show one object with its memberships both ways.

    For a host also its local groups, and the rules that hold there: from which scope, and which one decides. For an OU
    what lies in it, whether it is protected, what is granted there, the rules that hold and the policies linked to it.
    """
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.estate.password_policies import PasswordPolicies
    from adzeguard.core.estate.principal import CONTAINERS, Kind
    from adzeguard.core.views.logon_week import logon_week
    from adzeguard.core.views.object_page import object_data, object_page
    from adzeguard.core.views.page import Fact

    workspace = looking(folder, moment)
    shown = resolve(workspace.estate, name)
    data = object_data(workspace.estate, shown)
    host = workspace.estate.host_named(shown.name) if shown.kind == Kind.COMPUTER else None
    sections: list[Section] = [*logon_week(shown, workspace.now().astimezone().utcoffset() or timedelta())]
    more: dict[str, Any] = {}
    if host is not None:
        from adzeguard.core.views.host_page import host_data, host_sections

        more = host_data(workspace.estate, workspace.charter_if_readable(_NO_RULES), host)
        sections += host_sections(more)
    if shown.kind in CONTAINERS:
        from adzeguard.core.views.ou_page import ou_data, ou_sections

        more = ou_data(workspace.rights, workspace.charter_if_readable(_NO_RULES), shown)
        data = {key: value for key, value in data.items() if key not in _TOLD_BETTER}
        sections += ou_sections(more)
    if shown.kind == Kind.USER and (policy := PasswordPolicies(workspace.estate).of(shown)):
        more = {"password_policy": policy.name}
        sections.append(Fact("Password policy", f"{policy.name}: {policy.in_words()}"))
    if shown.kind == Kind.TRUSTED_DOMAIN:
        sections.append(Fact("Trust", f"adzeguard trusts show {shown.name}"))
    put_view(object_page(data, sections, more), form, output)
    return Exit.NOTHING_TO_REPORT
