"""adzeguard status."""

from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.workspace.open_workspace import Workspace

_ENACTMENTS = 5
_BACK = timedelta(days=7)


@click.command("status", epilog=example("adzeguard status"))
@card_options
@workspace_option
def command(form: str, output: Path | None, folder: Path | None) -> int:
    """Show one screen: last collection, last check, unread hosts, last enactments, and how many are privileged.

    Findings are those of the last check, with its age. The change of the privileged groups is since a week ago, or
    since the first collection. Ends with 3 when there were findings.
    """
    from adzeguard.core.views.status import status_page

    workspace = opened(folder)
    data = _gathered(workspace)
    put_view(status_page(data, workspace.now()), form, output)
    return Exit.TO_REPORT if any(severity != "note" for severity in data["findings"]) else Exit.NOTHING_TO_REPORT


def _gathered(workspace: Workspace) -> dict[str, Any]:
    from adzeguard.core.views.status import headcounts
    from adzeguard.store.letters import Letters
    from adzeguard.store.pending import PendingChanges
    from adzeguard.store.questions import Questions
    from adzeguard.workflows.interrupted import interrupted_enactment
    from adzeguard.workflows.journal_rows import in_words

    estate, latest = workspace.estate, workspace.store.latest()
    full = workspace.store.last_full() or latest
    moment = max(workspace.now() - _BACK, workspace.store.first_moment())
    nothing_since = workspace.store.at(moment).id == latest.id
    earlier = estate if nothing_since else workspace.store.load(moment)
    hosts, unread = workspace.store.hosts_unread()
    pending, pending_since = PendingChanges(workspace.database).oldest()
    interrupted = interrupted_enactment(workspace.journal)
    last_check = workspace.checked.last()
    return {
        "collected_at": full.facts.finished,
        "source": full.facts.source,
        "checked_at": last_check.at if last_check else None,
        "check_is_outdated": last_check is not None and last_check.collection != latest.id,
        "findings": last_check.counts if last_check else {},
        "hosts": hosts,
        "hosts_unread": unread,
        "hosts_pending": pending,
        "pending_since": pending_since,
        "questions": [one.asked_at for one in Questions(workspace.database).all() if one.is_open],
        "letters_kept": sum(1 for one in Letters(workspace.database).waiting() if one.tries),
        "interrupted": interrupted.name if interrupted else "",
        "enactments": [
            {"enactment": row.enactment, "at": datetime.fromisoformat(row.at), "by": row.by, "what": in_words(row)}
            for row in workspace.journal.ended(_ENACTMENTS)
        ],
        "since": earlier.taken_at,
        "privileged": headcounts(estate, earlier, workspace.privileged),
    }
