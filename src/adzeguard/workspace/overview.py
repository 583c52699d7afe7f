"""One screen about a workspace."""

from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

from adzeguard.core.time.lease import due
from adzeguard.core.views.next_steps import next_steps
from adzeguard.core.views.status import headcounts
from adzeguard.store.kept import few_odd_rows
from adzeguard.store.leases import Leases
from adzeguard.store.letters import Letters
from adzeguard.store.pending import PendingChanges
from adzeguard.store.questions import Questions
from adzeguard.workflows.interrupted import interrupted_enactment
from adzeguard.workflows.journal_rows import in_words

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_ENACTMENTS = 5
_BACK = timedelta(days=7)


def overview(workspace: "Workspace") -> dict[str, Any]:
    """Return what stands, what deviates, what waits, and what was done, as `status` shows it."""
    estate, latest = workspace.estate, workspace.store.latest()
    full = workspace.store.last_full() or latest
    moment = max(workspace.now() - _BACK, workspace.store.first_moment())
    nothing_since = workspace.store.at(moment).id == latest.id
    earlier = estate if nothing_since else workspace.store.load(moment)
    hosts, unread = workspace.store.hosts_unread()
    pending, pending_since = PendingChanges(workspace.database).oldest()
    interrupted = interrupted_enactment(workspace.journal)
    last_check = workspace.checked.last()
    waiting = [one for one in Questions(workspace.database).all() if one.is_open]
    data: dict[str, Any] = {
        "collected_at": full.facts.finished,
        "source": full.facts.source,
        "checked_at": last_check.at if last_check else None,
        "check_is_outdated": last_check is not None and last_check.collection != latest.id,
        "findings_by_severity": last_check.counts if last_check else {},
        "findings_by_check": last_check.checks if last_check else {},
        "mendable": last_check.mendable if last_check else 0,
        "hosts": hosts,
        "hosts_unread": unread,
        "hosts_pending": pending,
        "pending_since_at": pending_since,
        "questions_asked_at": [one.asked_at for one in waiting],
        "not_followed": sorted(one.rule for one in waiting if one.is_about_its_rule),
        "odd_rows": len(few_odd_rows(workspace.database)),
        "letters_kept": sum(1 for one in Letters(workspace.database).waiting() if one.tries),
        "leases_over": len(due(Leases(workspace.database).all(), workspace.now())),
        "round_at": workspace.settings.last_round,
        "interrupted": interrupted.name if interrupted else None,
        "enactments": [
            {"enactment": row.enactment, "made_at": datetime.fromisoformat(row.at), "by": row.by, "what": in_words(row)}
            for row in workspace.journal.ended(_ENACTMENTS)
        ],
        "compared_since_at": earlier.taken_at,
        "privileged": headcounts(estate, earlier, workspace.privileged),
    }
    return data | {"next_steps": [step._asdict() for step in next_steps(data, workspace.now())]}
