"""adzeguard account: whether, and until when, an account signs in."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, on_option, why_option, workspace_option
from adzeguard.core.errors import UsageError

_LIST = "adzeguard find --kind user"


@click.group(
    "account",
    cls=CommandGroup,
    instead={"list": _LIST, "show": "adzeguard show NAME", "delete": "adzeguard retire NAME"},
    epilog=example("adzeguard account disable orla.fenn --why 'lost her badge'"),
)
def command() -> None:
    """Disable and enable accounts, or let them expire: of the directory, or with --on of one host."""


@command.command("disable", epilog=example("adzeguard account disable fitter --on KIOSK-07"))
@click.argument("account", shell_complete=names())
@on_option
@why_option
@enacting_options
@workspace_option
def disable(account: str, host: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Disable an account: nobody signs in with it until it is enabled again."""
    return _switched(account, host, why, answers, folder, enable=False)


@command.command("enable", epilog=example("adzeguard account enable orla.fenn"))
@click.argument("account", shell_complete=names())
@on_option
@why_option
@enacting_options
@workspace_option
def enable(account: str, host: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Enable an account again."""
    return _switched(account, host, why, answers, folder, enable=True)


@command.command("expire", epilog=example("adzeguard account expire orla.fenn --until 2w"))
@click.argument("account", shell_complete=names("user"))
@click.option("--until", type=COMING, metavar="TIME", help="When it expires: 2026-12-24, 2w, tomorrow.")
@click.option("--never", is_flag=True, help="Let it never expire.")
@why_option
@enacting_options
@workspace_option
def expire(account: str, until: datetime | None, never: bool, why: str, answers: Answers, folder: Path | None) -> int:
    """Let an account of the directory expire at a time, or never."""
    from adzeguard.workspace.by_hand import account_expiring

    if never == (until is not None):
        raise UsageError("say when: --until TIME, or --never", "Such as --until 2w")
    workspace = opened(folder)
    return enact_draft(workspace, lambda: account_expiring(workspace, account, until, why), answers)


def _switched(account: str, host: str, why: str, answers: Answers, folder: Path | None, *, enable: bool) -> int:
    from adzeguard.workspace.by_hand import account_changed_on, account_switched

    workspace = opened(folder)
    if host:
        return enact_draft(workspace, lambda: account_changed_on(workspace, host, account, why, enable=enable), answers)
    return enact_draft(workspace, lambda: account_switched(workspace, account, why, enable=enable), answers)
