"""adzeguard group create, set and delete: groups themselves rather than their members."""

from pathlib import Path
from typing import Any

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, on_option, why_option, workspace_option
from adzeguard.core.errors import UsageError


class _Scope(click.Choice[str]):
    """The scopes of groups, written in any way: domain-local, domainlocal, Domain Local."""

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> str:
        """Return the scope as we write it."""
        plain = str(value).casefold().replace("-", "").replace("_", "").replace(" ", "")
        known = {str(choice).replace("-", ""): str(choice) for choice in self.choices}
        return str(super().convert(known.get(plain, value), param, ctx))


_SCOPE = _Scope(["global", "universal", "domain-local"])
_KIND = click.Choice(["security", "distribution"])
_account_option = click.option(
    "--account-name",
    default="",
    metavar="NAME",
    help="Its account name, where it is to differ from the name in the tree; as that may hold a comma.",
)


def add_object_commands(group: click.Group) -> None:
    """Put the commands about groups themselves beside those about members."""
    for command in (create, change, delete):
        group.add_command(command)


@click.command(
    "create", cls=HeadedCommand, epilog=example("adzeguard group create 'Tide Watch' --in OU=Groups --member orla.fenn")
)
@click.argument("name")
@click.option(
    "--in",
    "container",
    default="",
    metavar="OU",
    help="Where it is made, like OU=Groups; of the directory only.",
    shell_complete=containers,
)
@_account_option
@click.option("--scope", type=_SCOPE, default="global", show_default=True, help="Who may be in it, and where it works.")
@click.option("--kind", type=_KIND, default="security", show_default=True, help="For access, or for mail alone.")
@click.option("--description", default="", metavar="TEXT", help="What it is for.")
@click.option("--mail", default="", metavar="ADDRESS", help="Its mail address.")
@click.option("--managed-by", "manager", default="", metavar="NAME", help="Who manages it.")
@click.option("--member", "members", multiple=True, metavar="NAME", help="Put in at once; may be given again.")
@on_option
@why_option
@enacting_options
@workspace_option
def create(
    name: str,
    container: str,
    account_name: str,
    scope: str,
    kind: str,
    description: str,
    mail: str,
    manager: str,
    members: tuple[str, ...],
    host: str,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Create a group. With --on it is a group of that host, without members."""
    from adzeguard.workspace.by_hand import GroupDetails, group_changed_on, group_created

    workspace = opened(folder)
    if host:
        if any((container, account_name, description, mail, manager, members)):
            raise UsageError("a group of a host has a name alone", "Give NAME and --on HOST, then: adzeguard group add")
        return enact_draft(workspace, lambda: group_changed_on(workspace, host, name, why, make=True), answers)
    if not container:
        raise UsageError("say where: --in OU, or --on HOST for a group of a host", "Such as --in OU=Groups")
    details = GroupDetails(account_name, scope, kind == "security", description, mail, manager)
    return enact_draft(workspace, lambda: group_created(workspace, name, container, details, members, why), answers)


@click.command("set", cls=HeadedCommand, epilog=example("adzeguard group set 'First Aiders' --scope universal"))
@click.argument("group", shell_complete=names("group"))
@click.option("--name", default="", metavar="NAME", help="Another name.")
@_account_option
@click.option("--scope", type=_SCOPE, help="Another scope; between global and domain local it takes two steps.")
@click.option("--kind", type=_KIND, help="For access, or for mail alone.")
@click.option("--description", metavar="TEXT", help="What it is for; empty removes it.")
@click.option("--mail", metavar="ADDRESS", help="Its mail address; empty removes it.")
@click.option("--managed-by", "manager", metavar="NAME", help="Who manages it; empty removes it.")
@why_option
@enacting_options
@workspace_option
def change(
    group: str,
    name: str,
    account_name: str,
    scope: str | None,
    kind: str | None,
    description: str | None,
    mail: str | None,
    manager: str | None,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Change a group itself.

    A scope that its members or the groups around it do not allow is refused, with what stands in the way.
    """
    from adzeguard.workspace.by_hand import GroupDetails, group_changed

    if all(value is None for value in (scope, kind, description, mail, manager)) and not (name or account_name):
        way_out = "Give --name, --account-name, --scope, --kind, --description, --mail or --managed-by"
        raise UsageError("nothing to set", way_out)
    workspace = opened(folder)
    security = None if kind is None else kind == "security"
    details = GroupDetails(account_name, scope or "", security, description, mail, manager)
    return enact_draft(workspace, lambda: group_changed(workspace, group, name, details, why), answers)


@click.command("delete", cls=HeadedCommand, epilog=example("adzeguard group delete 'Paint Project'"))
@click.argument("group", shell_complete=names("group"))
@on_option
@why_option
@enacting_options
@workspace_option
def delete(group: str, host: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Delete a group, after showing everything that still names it. Its members stay.

    Undo creates it again with its members and in its groups, but with a new SID, which nothing else knows. With --on it
    is a group of that host.
    """
    from adzeguard.workspace.by_hand import group_changed_on, group_deleted

    workspace = opened(folder)
    if host:
        return enact_draft(workspace, lambda: group_changed_on(workspace, host, group, why, make=False), answers)
    return enact_draft(workspace, lambda: group_deleted(workspace, group, why), answers)
