"""A real mail server on this machine, which keeps what it is given."""

import socket
import ssl
from collections.abc import Iterator
from dataclasses import dataclass, field
from email import message_from_bytes
from email.message import EmailMessage
from email.policy import default
from pathlib import Path
from typing import Any

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult, LoginPassword

LOGIN, PASSWORD = "adzeguard", "lantern on the quay"


@dataclass
class MailServer:
    """What came, whom it refuses, and whether it listens."""

    certificates: Path
    mails: list[EmailMessage] = field(default_factory=list)
    refuses: set[str] = field(default_factory=set)
    port: int = 0
    _controller: Controller | None = None

    async def handle_RCPT(self, _server: Any, _session: Any, envelope: Any, address: str, _options: Any) -> str:  # noqa: N802 - the library's name
        """Refuse some."""
        if address in self.refuses:
            return "550 nobody of that name"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:  # noqa: N802 - the library's name
        """Keep it."""
        mail = message_from_bytes(envelope.content, policy=default)
        assert isinstance(mail, EmailMessage)
        self.mails.append(mail)
        return "250 OK"

    def start(self) -> None:
        """Listen, at the port of before if there was one; nothing is taken without STARTTLS and a login."""
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(self.certificates / "cert.pem", self.certificates / "key.pem")
        self.port = self.port or _free_port()
        self._controller = Controller(
            self,
            hostname="127.0.0.1",
            port=self.port,
            tls_context=context,
            require_starttls=True,
            authenticator=_known,
            auth_required=True,
        )
        self._controller.start()

    def stop(self) -> None:
        """Listen no more."""
        if self._controller is not None:
            self._controller.stop()
            self._controller = None

    def settings(self, folder: Path, **more: str) -> str:
        """Return the table of the settings that leads here; the password lies in a file of the folder."""
        (folder / "mail-password").write_text(PASSWORD + "\n")
        (folder / "mail-password").chmod(0o600)
        keys = {
            "server": "127.0.0.1",
            "port": str(self.port),
            "from": "adzeguard@lowmere.example",
            "login": LOGIN,
            "password_file": "mail-password",
            "ca_file": str(self.certificates / "cert.pem"),
        } | more
        return "\n[tell.mail]\n" + "".join(f'{key} = "{value}"\n' for key, value in keys.items() if value)


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _known(_server: Any, _session: Any, _envelope: Any, _mechanism: Any, data: Any) -> AuthResult:
    good = isinstance(data, LoginPassword) and (data.login, data.password) == (LOGIN.encode(), PASSWORD.encode())
    return AuthResult(success=good, handled=good)  # what is not handled, the library refuses by itself


@pytest.fixture
def mail_server(certificates: Path) -> Iterator[MailServer]:
    """A mail server that listens."""
    server = MailServer(certificates)
    server.start()
    try:
        yield server
    finally:
        server.stop()
