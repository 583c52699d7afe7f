"""adzeguard questions leave and waivers: what is left as it is until a date."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, why_option, without_approval_option, workspace_option
from adzeguard.cli.output import put_view


@click.group(
    "waivers",
    cls=CommandGroup,
    alone="list",
    instead={"add": "adzeguard questions leave"},
    epilog=example("adzeguard questions waivers"),
)
def waivers() -> None:
    """End waivers: deviations that are left until a date; alone, list them."""


@waivers.command("list", epilog=example("adzeguard questions waivers list"))
@click.option("--all", "everything", is_flag=True, help="Also those that are over.")
@listing_options
@workspace_option
def list_waivers(everything: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """List waivers: by whom, why, until when, and how often each was renewed."""
    from adzeguard.workspace.answering import waivers_listed

    put_view(waivers_listed(opened(folder), everything=everything), form, output)
    return Exit.NOTHING_TO_REPORT


@click.command(
    "leave",
    cls=HeadedCommand,
    epilog=example("adzeguard questions leave 84f36c80efd5f439 --until 2w --why 'until the move'"),
)
@click.argument("fingerprint")
@click.option("--until", type=COMING, required=True, metavar="DATE", help="Until then: 2026-12-24, 2w, 30d.")
@click.option("--why", required=True, metavar="TEXT", help="Why; people who ask later read it.")
@without_approval_option
@workspace_option
def leave(fingerprint: str, until: datetime, why: str, without_approval: str, folder: Path | None) -> int:
    """Leave a finding of any check until a date. The beginning of its fingerprint is enough.

    check --columns fingerprint,message shows fingerprints.

    Until then check shows the finding as a note. To answer a question, use adzeguard questions answer.
    It stands in the journal, and can be undone.
    """
    from adzeguard.workspace.answering import add_waiver

    add_waiver(opened(folder), fingerprint, until, why, without_approval)
    return Exit.NOTHING_TO_REPORT


@waivers.command("end", epilog=example("adzeguard questions waivers end W1"))
@click.argument("waiver")
@why_option
@workspace_option
def end(waiver: str, why: str, folder: Path | None) -> int:
    """End a waiver before its time. If the deviation still stands, the next round asks again."""
    from adzeguard.workspace.answering import end_waiver

    end_waiver(opened(folder), waiver, why)
    return Exit.NOTHING_TO_REPORT
