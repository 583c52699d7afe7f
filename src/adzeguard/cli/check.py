"""adzeguard check."""

import sys
from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.check_rows import explained, listed
from adzeguard.cli.completing import rule_ids
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import at_option, example, listing_options, workspace_option
from adzeguard.cli.output import put_view

_SEVERITIES = ("note", "low", "medium", "high", "critical")


@click.command("check", cls=HeadedCommand, epilog=example("adzeguard check --severity high"))
@click.option(
    "--severity",
    type=click.Choice(_SEVERITIES),
    default="note",
    show_default=True,
    help="Leave out less severe findings.",
)
@click.option(
    "--rule",
    "rules",
    multiple=True,
    metavar="ID",
    shell_complete=rule_ids,
    help="Only findings of this rule; may be given again.",
)
@click.option("--each", is_flag=True, help="In the table too, list findings that are alike one by one.")
@click.option("--list", "lists", is_flag=True, help="Instead, list the checks themselves.")
@click.option("--explain", "explains", default="", metavar="CHECK", help="Instead, explain one check.")
@listing_options
@at_option
@workspace_option
def command(
    severity: str,
    rules: tuple[str, ...],
    each: bool,
    lists: bool,
    explains: str,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show what deviates from the charter, and what is wrong regardless of the charter.

    The table folds findings that are alike in many places into one row; json, jsonl and csv list each. Ends with 3 if
    there are findings other than notes.

    With --at, the directory and the hosts are as they stood then, compared with today's charter.

    In adzeguard.toml, [checks] off = ["CHECK"] switches checks off, and [checks.severity] gives them another severity.
    """
    from adzeguard.core.check_row import Severity
    from adzeguard.core.views.findings import findings_table, folded_table
    from adzeguard.workspace.deviations import found_and_to_note, note_found, of_those

    workspace = opened(folder, moment)
    if lists or explains:
        put_view(explained(workspace, explains) if explains else listed(workspace), form, output)
        return Exit.NOTHING_TO_REPORT
    findings, to_note = found_and_to_note(workspace, rules)
    shown = of_those(findings, severity, rules)
    put_view(folded_table(shown) if form == "table" and not each else findings_table(shown), form, output)
    sys.stdout.flush()
    if moment is None:
        note_found(workspace, to_note)
    return Exit.TO_REPORT if any(f.severity > Severity.NOTE for f in shown) else Exit.NOTHING_TO_REPORT
