"""Several servers of one domain: the first that answers is taken, and stayed with for the whole command.

Each server counts its changes for itself, and what one was told may reach the others later: what is written is read
back where it was written.
"""

from collections.abc import Callable, Sequence

from adzeguard.core.errors import DirectoryUnreachableError
from adzeguard.core.values import dataclass
from adzeguard.directory.ldap_port import LdapWire


@dataclass(frozen=True, slots=True)
class Server:
    """One of them, and how it is connected to."""

    url: str
    connect: Callable[[], LdapWire]


class Servers:
    """Gives connections; `passed_over` are those that did not answer before one did."""

    def __init__(self, servers: Sequence[Server]) -> None:
        self._servers = servers
        self._chosen: Server | None = None
        self.passed_over: list[str] = []

    @property
    def url(self) -> str:
        """The address of the one that is asked, or will be asked first."""
        return (self._chosen or self._servers[0]).url

    def connect(self) -> LdapWire:
        """Return a connection to the one that is stayed with, or to the first that answers.

        One that refuses the sign-in, or whose certificate is not its own, ends it: that is told and not passed over.
        """
        if self._chosen is not None:
            return self._chosen.connect()
        silent: list[str] = []
        for server in self._servers:
            try:
                wire = server.connect()
            except DirectoryUnreachableError as error:
                if server is self._servers[-1]:
                    others = f", nor do {', '.join(silent)} answer" if silent else ""
                    raise type(error)(f"{error.message}{others}", error.way_out) from error
                silent.append(server.url)
            else:
                self._chosen, self.passed_over = server, silent
                return wire
        raise AssertionError("the last server answers or raises")
