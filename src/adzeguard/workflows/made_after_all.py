"""Whether a change stands, looked at without writing."""

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.directory.executors.table import make_in_directory
from adzeguard.hosts.careful import session_with
from adzeguard.hosts.executor import make_on_host
from adzeguard.shares.executor import make_on_share
from adzeguard.workflows.run import Ports


class _NothingIsWrittenError(Exception):
    """Raised in the place of the write, by whoever only wants to see whether a change was made."""


def _look_only(_change: Change) -> None:
    raise _NothingIsWrittenError


def made_after_all(ports: Ports, estate: Estate, change: Change) -> Outcome | None:
    """Return that a change stands, if it does; nothing where it does not, or where nobody answers."""
    try:
        if change.share_server:
            server = ports.shares.get(change.share_server.casefold())
            outcome = make_on_share(server, change, _look_only).outcome
        elif not change.host_name:
            outcome = make_in_directory(ports.directory, change, _look_only)
        else:
            known = estate.hosts_by_name.get(change.host_name.casefold())
            if known is None:
                return None
            with session_with(ports.hosts, known) as session:
                outcome, _ = make_on_host(session, change, _look_only)
    except (_NothingIsWrittenError, AdzeguardError):
        return None
    return outcome if outcome.already else None
