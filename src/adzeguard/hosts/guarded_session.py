"""Sessions whose driver may fail in a way that it does not know itself.

Drivers come from other packages too. One that stumbles over an odd host must not stop an enactment on all the others:
seen with a driver whose file was read by one thread while another wrote it.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from adzeguard.core.change.change import Change
from adzeguard.core.errors import AdzeguardError, HostError
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.hosts.port import HostSession, HostSource


class CarefulSession:
    """A session that raises no other errors than ours."""

    def __init__(self, host: str, session: HostSession) -> None:
        self._host = host
        self._session = session

    def read(self) -> HostState:
        """Read the state of the host."""
        with _errors_of_ours(self._host):
            return self._session.read()

    def change(self, change: Change) -> None:
        """Make one change."""
        with _errors_of_ours(self._host):
            self._session.change(change)


@contextmanager
def session_with(source: HostSource, host: Host) -> Iterator[CarefulSession]:
    """Open a session with one host; anything that its driver raises becomes an error under `AdzeguardError`."""
    with _errors_of_ours(host.name):
        opening = source.session(host)
        session = opening.__enter__()
    try:
        yield CarefulSession(host.name, session)
    finally:
        with _errors_of_ours(host.name):
            opening.__exit__(None, None, None)


@contextmanager
def _errors_of_ours(host: str) -> Iterator[None]:
    try:
        yield
    except AdzeguardError:
        raise
    except Exception as error:
        said = f"{type(error).__name__}: {error}"
        raise HostError(f"the driver failed with {host}: {said}", "Tell the makers of the driver") from error
