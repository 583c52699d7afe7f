"""adzeguard metrics."""

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import put
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.report.exposition import Figure

_FOR_ALL = 0o644


@click.command("metrics", epilog=example("adzeguard metrics"))
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write it to a file, whole or not at all, for whatever reads such files.",
)
@click.option(
    "--readable", is_flag=True, help="Let other accounts read the file: it names groups and counts, no people."
)
@workspace_option
def command(output: Path | None, readable: bool, folder: Path | None) -> int:
    """Write figures for monitoring, in the open text exposition format.

    Findings by check and severity, people inside privileged groups, hosts by state, leases, open questions and reviews,
    what waits to be done, and when the last collection and the last round were.
    """
    from adzeguard.report.exposition import exposed

    put(exposed(_figures(opened(folder))), output)
    if output is not None and readable:
        output.chmod(_FOR_ALL)
    return Exit.NOTHING_TO_REPORT


def _figures(workspace: Workspace) -> "list[Figure]":
    from adzeguard.core.access.members import members_of
    from adzeguard.report.exposition import Figure, Sample
    from adzeguard.store.leases import Leases
    from adzeguard.store.pending import PendingChanges
    from adzeguard.store.questions import Questions
    from adzeguard.store.reviews import Reviews

    found = Counter((one.check, one.severity.label) for one in workspace.findings())
    leases = Counter(one.state for one in Leases(workspace.database).all() if one.is_open)
    hosts, unread = workspace.store.hosts_unread()
    full = workspace.store.last_full() or workspace.store.latest()
    rounds = workspace.settings.last_round_path
    pending, _ = PendingChanges(workspace.database).oldest()
    people = {
        group.qualified_name: sum(access.principal.is_person for access in members_of(workspace.estate, group))
        for group in workspace.privileged
    }
    questions = sum(one.is_open for one in Questions(workspace.database).all())
    waiting = sum(one.unanswered for one in Reviews(workspace.database).all())
    return [
        Figure(
            "adzeguard_findings",
            "Findings of the checks.",
            [Sample(count, {"check": check, "severity": label}) for (check, label), count in sorted(found.items())],
        ),
        Figure(
            "adzeguard_privileged_people",
            "Accounts inside a privileged group, by whichever nesting.",
            [Sample(count, {"group": group}) for group, count in people.items()],
        ),
        Figure(
            "adzeguard_hosts",
            "Hosts that are looked after.",
            [Sample(hosts - len(unread), {"state": "read"}), Sample(len(unread), {"state": "unread"})],
        ),
        Figure(
            "adzeguard_leases", "Leases that are open.", [Sample(n, {"state": s}) for s, n in sorted(leases.items())]
        ),
        Figure("adzeguard_questions_open", "Questions that wait for an owner.", [Sample(questions)]),
        Figure("adzeguard_review_lines_open", "Lines of reviews that wait for an answer.", [Sample(waiting)]),
        Figure("adzeguard_changes_pending", "Changes that wait for a host to answer.", [Sample(pending)]),
        Figure(
            "adzeguard_last_collection_timestamp_seconds",
            "When the directory was read last.",
            [Sample(int(full.facts.finished.timestamp()))],
        ),
        Figure(
            "adzeguard_last_round_timestamp_seconds",
            "When the last round ended.",
            [Sample(int(rounds.stat().st_mtime))] if rounds.exists() else [],
        ),
    ]
