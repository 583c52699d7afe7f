"""Tells by an HTTPS POST of JSON, signed with a secret that both sides know (HMAC-SHA256, RFC 2104)."""

import hmac
import http.client
import json
import ssl
from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, datetime
from hashlib import sha256
from typing import Final
from urllib.parse import urlsplit

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import SettingsError, TellError
from adzeguard.core.wording import printable
from adzeguard.tellers.lines import line_of
from adzeguard.tellers.port import Letter

SIGNATURE: Final = "Adzeguard-Signature"
_TIMEOUT: Final = 30.0
_AT_ONCE: Final = 100
_TAKEN: Final = range(200, 300)


class Webhook:
    """An address to which letters are posted. No redirection is followed: the secret is for this one alone."""

    def __init__(self, settings: Settings, secret: Secret, now: Callable[[], float] | None = None) -> None:
        """Check the settings; nothing is connected yet."""
        address = settings["url"]
        try:
            parts = urlsplit(address)
            host, port = parts.hostname, parts.port
        except ValueError as error:
            raise SettingsError(f"the webhook's url is no address: {error}") from error
        if parts.scheme != "https" or not host or parts.username or parts.fragment or not address.isprintable():
            raise SettingsError("the webhook's url must begin with https:// and hold no password")
        self._host, self._port = host, port or 443
        self._path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
        self._ca_file = settings.get("ca_file", "")
        self._secret = secret
        self._now = now or (lambda: datetime.now(UTC).timestamp())

    def takes(self, kind: str, to: str) -> bool:  # noqa: ARG002 - the port's
        """Take everything."""
        return True

    def bundles(self, letters: Sequence[Letter]) -> Iterable[Sequence[Letter]]:
        """As many at once as any server takes."""
        return [letters[start : start + _AT_ONCE] for start in range(0, len(letters), _AT_ONCE)]

    def tell(self, letters: Sequence[Letter]) -> None:
        """Post them."""
        body = json.dumps([json.loads(line_of(letter)) for letter in letters]).encode()
        context = ssl.create_default_context(cafile=self._ca_file or None)
        context.minimum_version = ssl.TLSVersion.TLSv1_2
        server = http.client.HTTPSConnection(self._host, self._port, timeout=_TIMEOUT, context=context)
        try:
            headers = {"Content-Type": "application/json", SIGNATURE: self._signature(body)}
            server.request("POST", self._path, body, headers)
            status = server.getresponse().status
        except (OSError, http.client.HTTPException) as error:
            said = getattr(error, "verify_message", "") or str(error) or type(error).__name__
            raise TellError(f"https://{self._host}:{self._port}: {printable(said)}") from error
        finally:
            server.close()
        # A redirection (3xx) is a no as well: the secret is for the address that was named.
        if status not in _TAKEN:
            raise TellError(f"https://{self._host}:{self._port} answers {status}")

    def close(self) -> None:
        """Nothing is kept open."""

    def _signature(self, body: bytes) -> str:
        """Return the moment and the seal over it and the body: who keeps an old post cannot send it again later."""
        moment = str(int(self._now()))
        seal = hmac.new(self._secret().encode(), moment.encode() + b"\n" + body, sha256).hexdigest()
        return f"at={moment}, hmac-sha256={seal}"


def _open(settings: Settings, secret: Secret, _names: Names) -> Webhook:
    return Webhook(settings, secret)


DRIVER: Final = DriverKind(
    "webhook",
    (
        Setting("url", "where to post to, beginning with https://", needed=True),
        Setting("password_file", "a file with the secret that both sides know", is_path=True, is_decisive=True),
        Setting("ca_file", "the certificates by which the server is trusted", is_path=True, is_decisive=True),
    ),
    _open,
    asks_secret=lambda _settings: True,
)
