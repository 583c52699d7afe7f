"""adzeguard status."""

from collections import Counter
from datetime import timedelta
from pathlib import Path
from typing import Any

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import colour, put, put_json

_ENACTMENTS = 5
_BACK = timedelta(days=7)


@click.command("status", epilog=example("adzeguard status"))
@card_options
@workspace_option
def command(form: str, output: Path | None, workspace: Path | None) -> int:
    """Show one screen: last collection, findings, unread hosts, last enactments, and how many are privileged.

    The change of the privileged groups is since a week ago, or since the first collection. Ends with 3 when there
    are findings.
    """
    from adzeguard.report.status import status_text

    desk = Desk(workspace)
    data = _gathered(desk)
    if form == "json":
        put_json(data, output)
    else:
        put(status_text(data, desk.now(), colour=output is None and colour()), output)
    return Exit.TO_REPORT if any(severity != "note" for severity in data["findings"]) else Exit.NOTHING_TO_REPORT


def _gathered(desk: Desk) -> dict[str, Any]:
    from adzeguard.core.checks import all_findings
    from adzeguard.core.checks.privileged import privileged_groups
    from adzeguard.workflows.enact import interrupted_enactment

    estate, full = desk.estate, desk.store.last_full() or desk.store.latest()
    found = all_findings(desk.rights, desk.charter, desk.privileged, desk.standing)
    counts = Counter(finding.severity for finding in found)
    earlier = desk.store.load(max(desk.now() - _BACK, desk.store.first_moment()))
    groups = privileged_groups(estate, desk.privileged)
    interrupted = interrupted_enactment(desk.journal)
    ended = [row for row in desk.journal.rows() if row.kind == "end"][-_ENACTMENTS:]
    return {
        "collected_at": full.facts.finished,
        "source": full.facts.source,
        "findings": {severity.label: counts[severity] for severity in sorted(counts, reverse=True)},
        "hosts": len(estate.hosts),
        "hosts_pending": [host.name for host in estate.hosts if host.trouble],
        "interrupted": interrupted.name if interrupted else "",
        "enactments": [
            {
                "enactment": row.enactment,
                "at": row.at,
                "by": row.by,
                "what": ", ".join(f"{n} {word}" for word, n in row.body.items()),
            }
            for row in reversed(ended)
        ],
        "since": earlier.taken_at,
        "privileged": [_counted(estate, earlier, group) for group in groups],
    }


def _counted(now: Any, earlier: Any, group: Any) -> dict[str, Any]:
    members = len(now.graph.expand(group.id).people)
    known = earlier.graph.position_of(group.id) is not None
    before = len(earlier.graph.expand(group.id).people) if known else 0
    return {"group": group.qualified_name, "members": members, "change": members - before}
