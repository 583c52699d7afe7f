"""One screen about a workspace."""

from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

from adzeguard.core.time.lease import due
from adzeguard.core.views.next_steps import next_steps
from adzeguard.core.views.status import STATUS_KEYS, headcounts
from adzeguard.store.kept import few_odd_rows
from adzeguard.store.leases import Leases
from adzeguard.store.letters import Letters
from adzeguard.store.pending import PendingChanges
from adzeguard.store.questions import Questions
from adzeguard.workflows.interrupted import interrupted_enactment
from adzeguard.workflows.journal_rows import in_words

if TYPE_CHECKING:
    from collections.abc import Sequence

    from adzeguard.store.journal import JournalRow
    from adzeguard.workspace.open_workspace import Workspace

_ENACTMENTS = 5
_BACK = timedelta(days=7)


def overview(workspace: "Workspace") -> dict[str, Any]:
    """Return what stands, what deviates, what waits, and what was done, as `status` shows it.

    Of a moment of the past only what was collected and enacted by then; what was found or waited then is not kept.
    """
    if workspace.past_moment is not None:
        return _overview_then(workspace, workspace.past_moment)
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
        "enactments": _enacted(workspace.journal.ended(_ENACTMENTS)),
        "compared_since_at": earlier.taken_at,
        "privileged": headcounts(estate, earlier, workspace.privileged),
    }
    return data | {"next_steps": [step._asdict() for step in next_steps(data, workspace.now())]}


def _overview_then(workspace: "Workspace", moment: datetime) -> dict[str, Any]:
    last, estate, journal = workspace.store.at(moment), workspace.estate, workspace.journal
    since = max(moment - _BACK, workspace.store.first_moment())
    earlier = estate if workspace.store.at(since).id == last.id else workspace.store.load(since)
    hosts = [host for host in estate.hosts if host.source and not host.is_of_directory]
    return {
        **dict.fromkeys(STATUS_KEYS),
        "collected_at": last.facts.finished,
        "source": last.facts.source,
        "hosts": len(hosts),
        "hosts_unread": sorted(host.name for host in hosts if host.trouble),
        "enactments": _enacted(journal.ended(_ENACTMENTS, moment)),
        "compared_since_at": earlier.taken_at,
        "privileged": headcounts(estate, earlier, workspace.privileged),
        "next_steps": [],
    }


def _enacted(rows: "Sequence[JournalRow]") -> list[dict[str, Any]]:
    return [
        {"enactment": row.enactment, "made_at": datetime.fromisoformat(row.at), "by": row.by, "what": in_words(row)}
        for row in rows
    ]
