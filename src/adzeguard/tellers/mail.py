"""Tells by mail: SMTP (RFC 5321) with STARTTLS (RFC 3207), a text and an HTML part (RFC 2046 section 5.1.4)."""

import re
import smtplib
import ssl
from collections.abc import Iterable, Sequence
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, parseaddr
from ipaddress import ip_address
from typing import Final

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import SettingsError, TellError
from adzeguard.core.wording import printable
from adzeguard.tellers.mail_words import html_of, subject_of, text_of
from adzeguard.tellers.port import Letter

_PORT: Final = 587
_PORT_TLS: Final = 465
_TIMEOUT: Final = 30.0
"""Seconds; a mail server that does not answer must not keep a round from ending."""
_MANY: Final = 5
"""Letters to one person from which on they come as one, also where nobody asked for a digest."""
_LONGEST_ADDRESS: Final = 254
_WITH_PORT: Final = re.compile(r"(?P<host>[^:\[\]]+|\[[0-9A-Fa-f:.]+\]):(?P<port>[0-9]{1,5})")
SECURITIES: Final = ("starttls", "tls", "none")


class Mail:
    """A mail server."""

    def __init__(self, settings: Settings, secret: Secret) -> None:
        """Check the settings; nothing is connected yet."""
        # People write mail.lowmere.example:25, and [2001:db8::1]:25 for an address with colons of its own.
        named = _WITH_PORT.fullmatch(settings["server"])
        if named is not None and "port" in settings:
            raise SettingsError("mail has a port in its server and one of its own", "Leave one of them out")
        self._server = named["host"].strip("[]") if named is not None else settings["server"]
        self._security = settings.get("security", "starttls")
        if self._security not in SECURITIES:
            raise SettingsError(f"security of mail must be {', '.join(SECURITIES)}, not '{self._security}'")
        # A question names people and groups, and its sender must not be made up on the way.
        if self._security == "none" and not _is_here(self._server):
            raise SettingsError(
                "mail without encryption is sent to this machine alone", "Take security = 'starttls' or 'tls'"
            )
        usual = str(_PORT_TLS if self._security == "tls" else _PORT)
        port = named["port"] if named is not None else settings.get("port", usual)
        if not (port.isascii() and port.isdecimal() and 0 < int(port) < 65536):  # noqa: PLR2004 - 16 bits
            raise SettingsError(f"the port of mail must be a number, not '{port}'")
        self._port = int(port)
        self._from = settings["from"]
        if not is_address(self._from):
            raise SettingsError(f"mail from '{printable(self._from)}' is no address")
        self._login = settings.get("login", "")
        self._ca_file = settings.get("ca_file", "")
        self._digest = settings.get("digest", "false") == "true"
        self._secret = secret
        self._open: smtplib.SMTP | None = None

    def takes(self, kind: str, to: str) -> bool:  # noqa: ARG002 - the port's
        """Take what has an address."""
        return is_address(to)

    def bundles(self, letters: Sequence[Letter]) -> Iterable[Sequence[Letter]]:
        """One mail for each, or one for each person where that was asked for, or where it would be many."""
        by_person: dict[str, list[Letter]] = {}
        for letter in letters:
            by_person.setdefault(letter.to, []).append(letter)
        # Thirty mails after one round are read by nobody, and mail servers take them for a flood.
        for of_person in by_person.values():
            together = [one for one in of_person if one.kind == "question"]
            if self._digest or len(together) > _MANY:
                yield from [together] if together else []
                yield from ([one] for one in of_person if one.kind != "question")
            else:
                yield from ([one] for one in of_person)

    def tell(self, letters: Sequence[Letter]) -> None:
        """Send one mail."""
        message = self.message(letters)
        try:
            server = self._open = self._open or self._connected()
            refused = server.send_message(message, self._from, [letters[0].to])
        except (smtplib.SMTPException, OSError, ValueError, UnicodeError) as error:
            self.close()
            raise TellError(f"mail to {letters[0].to} by {self._server}:{self._port}: {_in_words(error)}") from error
        if refused:  # pragma: no cover - the library raises where the only recipient is refused
            raise TellError(f"mail to {letters[0].to} was refused")

    def try_out(self) -> str:
        """Connect and log in; no mail is sent."""
        try:
            self._open = self._open or self._connected()
            self._open.noop()
        except (smtplib.SMTPException, OSError, ValueError) as error:
            self.close()
            raise TellError(f"{self._server}:{self._port}: {_in_words(error)}") from error
        return f"{self._server}:{self._port}{f', as {self._login}' if self._login else ''}"

    def message(self, letters: Sequence[Letter]) -> EmailMessage:
        """Return the mail. Its id is the same at every try, so that one that comes twice is known for the same."""
        message = EmailMessage(policy=SMTP)
        message["From"] = self._from
        message["To"] = letters[0].to
        message["Subject"] = " ".join(printable(subject_of(letters)).split())
        message["Date"] = format_datetime(letters[-1].made_at)
        domain = self._from.rpartition("@")[2]
        message["Message-ID"] = (
            f"<adzeguard.{letters[0].id}.{letters[-1].id}.{letters[0].made_at:%Y%m%d%H%M%S}@{domain}>"
        )
        message["Auto-Submitted"] = "auto-generated"  # RFC 3834: no holiday answers come back
        message.set_content(text_of(letters))
        message.add_alternative(html_of(letters), subtype="html")
        return message

    def close(self) -> None:
        """Say goodbye, if anybody still listens."""
        server, self._open = self._open, None
        if server is not None:
            try:
                server.quit()
            except (smtplib.SMTPException, OSError):
                server.close()

    def _connected(self) -> smtplib.SMTP:
        context = ssl.create_default_context(cafile=self._ca_file or None)
        context.minimum_version = ssl.TLSVersion.TLSv1_2
        server: smtplib.SMTP
        if self._security == "tls":
            server = smtplib.SMTP_SSL(self._server, self._port, timeout=_TIMEOUT, context=context)
        else:
            server = smtplib.SMTP(self._server, self._port, timeout=_TIMEOUT)
        try:
            if self._security == "starttls":
                server.starttls(context=context)  # raises where the server does not offer it: nothing goes in the open
            if self._login:
                self._log_in(server)
        except BaseException:
            server.close()
            raise
        return server

    def _log_in(self, server: smtplib.SMTP) -> None:
        """Log in by one mechanism alone: trying the others after a refusal would count as more wrong passwords."""
        server.ehlo_or_helo_if_needed()
        offered = server.esmtp_features.get("auth", "").upper().split()
        ways = {"PLAIN": server.auth_plain, "LOGIN": server.auth_login}
        chosen = next((name for name in ways if name in offered), None)
        if chosen is None:
            raise smtplib.SMTPNotSupportedError("a login by PLAIN or LOGIN (RFC 4954)")
        server.user, server.password = self._login, self._secret()
        server.auth(chosen, ways[chosen])


def is_address(text: str) -> bool:
    """Tell whether a text is one plain mail address, and nothing that a mail server could take for more."""
    # Owners come from the directory: "a@x.example, b@y.example" would send somebody's question to a stranger too.
    if len(text) > _LONGEST_ADDRESS or not text.isascii() or not text.isprintable() or any(c in text for c in ' ,;<>"'):
        return False
    name, at, domain = text.rpartition("@")
    return bool(name and at and "." in domain and parseaddr(text) == ("", text))


def _is_here(server: str) -> bool:
    try:
        return server == "localhost" or ip_address(server).is_loopback
    except ValueError:
        return False


def _in_words(error: Exception) -> str:
    if isinstance(error, smtplib.SMTPRecipientsRefused):
        codes = next(iter(error.recipients.values()), (0, b""))
        return printable(f"the address is refused: {codes[0]} {_text(codes[1])}")
    if isinstance(error, smtplib.SMTPAuthenticationError):
        return "name or password is refused"
    if isinstance(error, smtplib.SMTPNotSupportedError):
        return f"the server does not offer what is needed: {printable(str(error))}"
    if isinstance(error, smtplib.SMTPResponseException):
        return printable(f"{error.smtp_code} {_text(error.smtp_error)}")
    if isinstance(error, ssl.SSLCertVerificationError):
        return f"its certificate is not trusted: {error.verify_message}"
    return printable(str(error) or type(error).__name__)


def _text(said: bytes | str) -> str:
    return (said.decode("utf-8", "replace") if isinstance(said, bytes) else said)[:200]


def _open(settings: Settings, secret: Secret, _names: Names) -> Mail:
    return Mail(settings, secret)


DRIVER: Final = DriverKind(
    "mail",
    (
        Setting("server", "the mail server, by name or address; HOST:PORT too", needed=True),
        Setting("port", "its port; 587, or 465 with security = 'tls'"),
        Setting("from", "the address that mail comes from", needed=True),
        Setting("login", "the name to log in with, if it wants one"),
        Setting("password_file", "a file with the password", is_path=True, is_decisive=True),
        Setting("security", "starttls, tls, or none to this machine alone"),
        Setting("ca_file", "the certificates by which the server is trusted", is_path=True, is_decisive=True),
        Setting("digest", "true puts all questions of a round to one person into one mail"),
    ),
    _open,
    asks_secret=lambda settings: bool(settings.get("login")),
)
