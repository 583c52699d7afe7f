"""adzeguard check."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import rule_ids
from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.cli.propose import check_rules

if TYPE_CHECKING:
    from adzeguard.core.checks.finding import Finding

_SEVERITIES = ("note", "low", "medium", "high", "critical")


@click.command("check", epilog=example("adzeguard check --severity high"))
@click.option(
    "--severity",
    type=click.Choice(_SEVERITIES),
    default="note",
    show_default=True,
    help="Leave out what matters less.",
)
@click.option(
    "--rule",
    "rules",
    multiple=True,
    metavar="ID",
    shell_complete=rule_ids,
    help="Only findings of this rule; may be given again.",
)
@click.option("--each", is_flag=True, help="For people too, list what is alike in many places one by one.")
@listing_options
@workspace_option
def command(
    severity: str, rules: tuple[str, ...], each: bool, form: str, output: Path | None, folder: Path | None
) -> int:
    """Show what deviates from the charter, and what is wrong whatever the charter says.

    What is alike in many places is one row for people; json, jsonl and csv have each. Ends with 3 when there are
    findings; a note alone is none.

    Keys of json and csv: severity, check, subject, member, message, rule, owner, response, fingerprint, evidence, next.
    """
    from adzeguard.core.checks.finding import Severity
    from adzeguard.core.views.findings import counts_of, findings_table, folded_table
    from adzeguard.store.checked import LastCheck

    workspace = opened(folder)
    check_rules(rules, {rule.id for rule in workspace.written_charter.rules})
    findings = workspace.findings()
    if workspace.database.writable:
        workspace.checked.note(LastCheck(workspace.now(), workspace.store.latest().id, counts_of(findings)))
    least = Severity[severity.upper()]
    shown = [f for f in findings if f.severity >= least and (not rules or _is_of(f, rules))]
    put_view(folded_table(shown) if form == "table" and not each else findings_table(shown), form, output)
    return Exit.TO_REPORT if any(f.severity > Severity.NOTE for f in shown) else Exit.NOTHING_TO_REPORT


def _is_of(finding: "Finding", rules: tuple[str, ...]) -> bool:
    """Tell whether a finding is of one of these rules; one about a conflict is of both."""
    return finding.rule in rules or not set(rules).isdisjoint(finding.evidence.get("rules", ()))
