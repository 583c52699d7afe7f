"""adzeguard checks: the checks themselves."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.checks.check import Check


@click.group("checks", cls=CommandGroup, epilog=example("adzeguard checks list"))
def command() -> None:
    """The checks themselves: which there are, why each matters, and how to put right what it finds."""


@command.command("list", epilog=example("adzeguard checks list"))
@listing_options
@workspace_option
def list_checks(form: str, output: Path | None, folder: Path | None) -> int:
    """List all checks with their severity here, whether they are on, and how much each finds now.

    In adzeguard.toml, [checks] off = ["ID"] switches some off, and [checks.severity] gives them another severity.

    Keys of json and csv: id, title, severity, on, findings.
    """
    from adzeguard.core.views.checks import checks_table

    workspace = opened(folder)
    on = {check.id for check in workspace.checks}
    put_view(checks_table(_all(workspace), on, workspace.findings()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("explain", epilog=example("adzeguard checks explain name-twin"))
@click.argument("check")
@card_options
@workspace_option
def explain(check: str, form: str, output: Path | None, folder: Path | None) -> int:
    """Say of one check what it finds, why that matters, how to put it right, and what it finds now.

    Keys of json: id, title, matters, mend, severity, on, evidence, findings.
    """
    from adzeguard.core.errors import UnknownNameError
    from adzeguard.core.views.checks import check_page
    from adzeguard.core.wording import did_you_mean

    workspace = opened(folder)
    known = {one.id: one for one in _all(workspace)}
    if check not in known:
        raise UnknownNameError(f"there is no check '{check}'{did_you_mean(check, known)}", "See: adzeguard checks list")
    on = check in {one.id for one in workspace.checks}
    put_view(check_page(known[check], workspace.findings(), on=on), form, output)
    return Exit.NOTHING_TO_REPORT


def _all(workspace: Workspace) -> "list[Check]":
    """Return every check, also those that are off, as much as each matters here."""
    from adzeguard.core.checks.enabled_checks import enabled_checks

    return enabled_checks((), workspace.settings.severities)
