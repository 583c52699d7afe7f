"""adzeguard local: one host's own groups and accounts, changed by hand."""

from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option

_host = click.argument("host", shell_complete=names("computer"))


@click.group(
    "local",
    cls=CommandGroup,
    instead={"list": "adzeguard show HOST", "show": "adzeguard show HOST"},
    epilog=example("adzeguard local remove KIOSK-07 administrators 'local\\fitter'"),
)
def command() -> None:
    """Change the local groups and the own accounts of one host by hand, on the same road as the charter."""


@command.command("add", epilog=example("adzeguard local add KIOSK-01 remote-desktop-users 'LOWMERE\\Kiosk Stewards'"))
@_host
@click.argument("group")
@click.argument("members", nargs=-1, required=True, metavar="MEMBER...", shell_complete=names())
@why_option
@enacting_options
@workspace_option
def add(host: str, group: str, members: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    r"""Put one or more members into a local group of a host: administrators, or a group of its own.

    A bare name is one of the directory; of the host itself it is local\NAME.
    """
    from adzeguard.workspace.by_hand import members_changed_on

    workspace = opened(folder)
    return enact_draft(workspace, lambda: members_changed_on(workspace, host, group, members, why, add=True), answers)


@command.command("remove", epilog=example("adzeguard local remove KIOSK-07 administrators 'local\\fitter'"))
@_host
@click.argument("group")
@click.argument("members", nargs=-1, required=True, metavar="MEMBER...", shell_complete=names())
@why_option
@enacting_options
@workspace_option
def remove(host: str, group: str, members: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    """Take one or more direct members out of a local group of a host, also by their SID."""
    from adzeguard.workspace.by_hand import members_changed_on

    workspace = opened(folder)
    return enact_draft(workspace, lambda: members_changed_on(workspace, host, group, members, why, add=False), answers)


@command.command("make", epilog=example("adzeguard local make KIOSK-01 'Till Repair'"))
@_host
@click.argument("group")
@why_option
@enacting_options
@workspace_option
def make(host: str, group: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Make a group of the host's own, without members."""
    from adzeguard.workspace.by_hand import group_changed_on

    workspace = opened(folder)
    return enact_draft(workspace, lambda: group_changed_on(workspace, host, group, why, make=True), answers)


@command.command("delete", epilog=example("adzeguard local delete KIOSK-15 'Kiosk Stewards'"))
@_host
@click.argument("group")
@why_option
@enacting_options
@workspace_option
def delete(host: str, group: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Delete a group of the host's own with its members. Undone, it has the members again, and another SID."""
    from adzeguard.workspace.by_hand import group_changed_on

    workspace = opened(folder)
    return enact_draft(workspace, lambda: group_changed_on(workspace, host, group, why, make=False), answers)


@command.command("disable", epilog=example("adzeguard local disable KIOSK-07 fitter"))
@_host
@click.argument("account")
@why_option
@enacting_options
@workspace_option
def disable(host: str, account: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Disable an account of the host itself."""
    from adzeguard.workspace.by_hand import account_changed_on

    workspace = opened(folder)
    return enact_draft(workspace, lambda: account_changed_on(workspace, host, account, why, enable=False), answers)


@command.command("enable", epilog=example("adzeguard local enable KIOSK-07 guest"))
@_host
@click.argument("account")
@why_option
@enacting_options
@workspace_option
def enable(host: str, account: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Enable an account of the host itself again."""
    from adzeguard.workspace.by_hand import account_changed_on

    workspace = opened(folder)
    return enact_draft(workspace, lambda: account_changed_on(workspace, host, account, why, enable=True), answers)
