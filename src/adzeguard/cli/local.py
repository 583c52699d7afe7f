"""adzeguard local: one host's own groups and accounts, changed by hand."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.estate.hosts import Host

_host = click.argument("host", shell_complete=names("computer"))


@click.group(
    "local",
    cls=CommandGroup,
    instead={"list": "adzeguard show HOST", "show": "adzeguard show HOST"},
    epilog=example("adzeguard local remove KIOSK-07 administrators 'local\\fitter'"),
)
def command() -> None:
    """Change the local groups and the own accounts of one host by hand, on the same road as the charter."""


def _enact(folder: Path | None, host: str, answers: Answers, make: "Callable[[Workspace, Host], Draft]") -> int:
    from adzeguard.core.estate.names import resolve_host

    workspace = opened(folder)
    return enact_draft(workspace, lambda: make(workspace, resolve_host(workspace.estate, host)), answers)


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
    from adzeguard.core.change.by_hand.on_host import members_on

    return _enact(
        folder, host, answers, lambda workspace, at: members_on(workspace.estate, at, group, members, why, add=True)
    )


@command.command("remove", epilog=example("adzeguard local remove KIOSK-07 administrators 'local\\fitter'"))
@_host
@click.argument("group")
@click.argument("members", nargs=-1, required=True, metavar="MEMBER...", shell_complete=names())
@why_option
@enacting_options
@workspace_option
def remove(host: str, group: str, members: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    """Take one or more direct members out of a local group of a host, also by their SID."""
    from adzeguard.core.change.by_hand.on_host import members_on

    return _enact(
        folder, host, answers, lambda workspace, at: members_on(workspace.estate, at, group, members, why, add=False)
    )


@command.command("make", epilog=example("adzeguard local make KIOSK-01 'Till Repair'"))
@_host
@click.argument("group")
@why_option
@enacting_options
@workspace_option
def make(host: str, group: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Make a group of the host's own, without members."""
    from adzeguard.core.change.by_hand.on_host import own_group

    return _enact(folder, host, answers, lambda workspace, at: own_group(workspace.estate, at, group, why, make=True))


@command.command("delete", epilog=example("adzeguard local delete KIOSK-15 'Kiosk Stewards'"))
@_host
@click.argument("group")
@why_option
@enacting_options
@workspace_option
def delete(host: str, group: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Delete a group of the host's own with its members. Undone, it has the members again, and another SID."""
    from adzeguard.core.change.by_hand.on_host import own_group

    return _enact(folder, host, answers, lambda workspace, at: own_group(workspace.estate, at, group, why, make=False))


@command.command("disable", epilog=example("adzeguard local disable KIOSK-07 fitter"))
@_host
@click.argument("account")
@why_option
@enacting_options
@workspace_option
def disable(host: str, account: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Disable an account of the host itself."""
    from adzeguard.core.change.by_hand.on_host import own_account

    return _enact(folder, host, answers, lambda _workspace, at: own_account(at, account, why, enable=False))


@command.command("enable", epilog=example("adzeguard local enable KIOSK-07 guest"))
@_host
@click.argument("account")
@why_option
@enacting_options
@workspace_option
def enable(host: str, account: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Enable an account of the host itself again."""
    from adzeguard.core.change.by_hand.on_host import own_account

    return _enact(folder, host, answers, lambda _workspace, at: own_account(at, account, why, enable=True))
