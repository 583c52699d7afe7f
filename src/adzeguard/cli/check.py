"""adzeguard check."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
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
@click.option("--rule", "rules", multiple=True, metavar="ID", help="Only findings of this rule; may be given again.")
@listing_options
@workspace_option
def command(severity: str, rules: tuple[str, ...], form: str, output: Path | None, workspace: Path | None) -> int:
    """Show what deviates from the charter, and what is wrong whatever the charter says.

    Ends with 3 when there are findings; a note alone is none.

    Keys of json and csv: severity, check, subject, member, message, rule, owner, response, fingerprint, evidence.
    """
    from adzeguard.core.checks.all import all_findings
    from adzeguard.core.checks.finding import Severity
    from adzeguard.core.checks.looked_at import LookedAt
    from adzeguard.core.views.findings import counts_of, findings_table
    from adzeguard.store.checked import LastCheck
    from adzeguard.store.leases import Leases

    desk = Desk(workspace)
    check_rules(rules, {rule.id for rule in desk.written_charter.rules})
    findings = all_findings(
        LookedAt(
            desk.rights,
            desk.charter,
            desk.privileged,
            desk.put_in,
            desk.workspace.waiting_days,
            desk.workspace.unread_days,
            desk.store.hosts_read_at(),
            Leases(desk.database).all(),
            desk.now(),
        )
    )
    if desk.database.writable:
        desk.checked.note(LastCheck(desk.now(), desk.store.latest().id, counts_of(findings)))
    least = Severity[severity.upper()]
    shown = [f for f in findings if f.severity >= least and (not rules or _is_of(f, rules))]
    put_view(findings_table(shown), form, output)
    return Exit.TO_REPORT if any(f.severity > Severity.NOTE for f in shown) else Exit.NOTHING_TO_REPORT


def _is_of(finding: "Finding", rules: tuple[str, ...]) -> bool:
    """Tell whether a finding is of one of these rules; one about a conflict is of both."""
    return finding.rule in rules or not set(rules).isdisjoint(finding.evidence.get("rules", ()))
