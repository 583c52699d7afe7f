"""The figures of a workspace, for monitoring."""

from collections import Counter
from typing import TYPE_CHECKING

from adzeguard.core.access.members import members_of
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.views.figure import Figure, Sample
from adzeguard.core.wellknown import EVERYONE_LIKE
from adzeguard.store.leases import Leases
from adzeguard.store.pending import PendingChanges
from adzeguard.store.questions import Questions
from adzeguard.store.reviews import Reviews

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def _counts(estate: Estate, one: Principal) -> bool:
    """Tell whether it is one account: of another domain, what can hold nobody."""
    alone = one.kind == Kind.FOREIGN and one.sid not in EVERYONE_LIKE and not estate.holds_unknown(one)
    return one.is_person or (alone and not estate.resolves_to_nothing(one))


def figures(workspace: "Workspace") -> list[Figure]:
    """Return findings, people inside privileged groups, hosts, leases, and what waits, as they stand now."""
    found = Counter((one.check, one.severity.label) for one in workspace.findings())
    leases = Counter(one.state for one in Leases(workspace.database).all() if one.is_open)
    hosts, unread = workspace.store.hosts_unread()
    full = workspace.store.last_full() or workspace.store.latest()
    last_round = workspace.settings.last_round
    pending, _ = PendingChanges(workspace.database).oldest()
    people = {
        group.qualified_name: sum(
            _counts(workspace.estate, access.principal) for access in members_of(workspace.estate, group)
        )
        for group in workspace.privileged
    }
    foreign = {
        one.qualified_name: workspace.estate.foreign_groups_inside.get(one.id, 0) for one in workspace.privileged
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
            "Accounts inside a privileged group, by any nesting.",
            [Sample(count, {"group": group}) for group, count in people.items()],
        ),
        Figure(
            "adzeguard_privileged_foreign_groups",
            "Groups of other domains inside a privileged group: who is in these, is not known here.",
            [Sample(count, {"group": group}) for group, count in foreign.items()],
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
            [Sample(int(last_round.timestamp()))] if last_round is not None else [],
        ),
    ]
