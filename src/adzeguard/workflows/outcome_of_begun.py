"""Whether a change stands, looked at without writing."""

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.directory.executors.table import seen_in_directory
from adzeguard.hosts.executor import seen_on_host
from adzeguard.hosts.guarded_session import session_with
from adzeguard.shares.executor import seen_on_share
from adzeguard.store.notes import seen_note
from adzeguard.workflows.run import Ports


def outcome_of_begun(ports: Ports, estate: Estate, change: Change) -> Outcome | None:
    """Return that a change stands, if it does; None where it does not, or where nobody answers."""
    try:
        outcome = _seen(ports, estate, change)
    except AdzeguardError:
        return None
    return outcome if outcome is not None and outcome.already else None


def _seen(ports: Ports, estate: Estate, change: Change) -> Outcome | None:
    if change.is_note:
        return seen_note(ports.store.database, change)
    if change.share_server:
        return seen_on_share(ports.shares.get(change.share_server.casefold()), change)
    if not change.host_name:
        return seen_in_directory(ports.directory, change)
    known = estate.hosts_by_name.get(change.host_name.casefold())
    if known is None:
        return None
    with session_with(ports.hosts, known) as session:
        return seen_on_host(session, change)
