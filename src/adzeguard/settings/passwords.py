"""Where the password of a connection comes from: a file, the environment, the keyring or a prompt. Nowhere else."""

import os
from collections.abc import Callable, Mapping
from pathlib import Path
from threading import Lock
from typing import Final

from adzeguard.core.errors import SettingsError
from adzeguard.core.values import dataclass
from adzeguard.settings.settings import (
    DomainSettings,
    HostsSettings,
    OtherDomainSettings,
    Settings,
    SharesSettings,
    TellSettings,
)

VARIABLE: Final = "ADZEGUARD_PASSWORD"
KEYRING_SERVICE: Final = "adzeguard"
_LONGEST: Final = 4096
Prompt = Callable[[str], str | None]
"""Asks a person for a password; None where nobody is at a terminal."""


def password_source(settings: Settings, prompt: Prompt) -> Callable[[], str]:
    """Return a function that gives the password when it is first needed and remembers it for this process."""
    given = settings.directory
    return _source(settings, given, f"{given.get('bind_as', '')} at {_servers(given)}", "", prompt)


def _servers(given: Mapping[str, str]) -> str:
    """Return the address of a server, or of all: a password that is for one of them is not sent to another."""
    return given.get("url", "") or given.get("urls", "")


def password_source_of_hosts(settings: Settings, source: HostsSettings, prompt: Prompt) -> Callable[[], str]:
    """Return the same for a source of hosts, whose account is another one than the directory's."""
    name = f"{source.given.get('account', '')} at {source.table}"
    return _source(settings, source.given, name, f"_{source.name}", prompt)


def password_source_of_teller(settings: Settings, teller: TellSettings, prompt: Prompt) -> Callable[[], str]:
    """Return the same for a way of telling: a mail server's password, or the secret that signs what is posted."""
    name = f"{teller.given.get('login', '')} at {teller.table}"
    return _source(settings, teller.given, name, f"_tell_{teller.name}", prompt)


def password_source_of_shares(settings: Settings, server: SharesSettings, prompt: Prompt) -> Callable[[], str]:
    """Return the same for a server of file shares."""
    name = f"{server.given.get('bind_as', '')} at {server.table}"
    return _source(settings, server.given, name, f"_shares_{server.name}", prompt)


def password_source_of_domain(settings: Settings, domain: DomainSettings, prompt: Prompt) -> Callable[[], str]:
    """Return the same for the directory of one of several domains."""
    name = f"{domain.given.get('bind_as', '')} at {_servers(domain.given)}"
    return _source(settings, domain.given, name, f"_directory_{domain.name}", prompt)


def password_source_of_other_domain(
    settings: Settings, other: OtherDomainSettings, prompt: Prompt
) -> Callable[[], str]:
    """Return the same for the directory of another domain."""
    name = f"{other.given.get('bind_as', '')} at {_servers(other.given)}"
    return _source(settings, other.given, name, f"_other_domains_{other.name}", prompt)


def _source(settings: Settings, given: Mapping[str, str], name: str, of: str, prompt: Prompt) -> Callable[[], str]:
    """`name` is what the keyring and a person are asked for; `of` is what the variable is called beyond ours."""
    variable = f"{VARIABLE}{of.upper().replace('-', '_')}"
    address = next((given[key] for key in ("url", "urls", "server", "address") if given.get(key)), "")
    # Hosts are called by the names that the directory gives them: their password is for that directory's hosts.
    sent_to = _SentTo(address or _servers(settings.directory), given.get("plain_ldap") == "true")
    return _remembering(lambda: _find(settings, given.get("password_file", ""), name, variable, sent_to, prompt))


def _remembering(find: Callable[[], str]) -> Callable[[], str]:
    remembered: list[str] = []
    lock = Lock()  # hosts are worked with by many threads at once, and a person is asked once

    def password() -> str:
        with lock:
            if not remembered:
                remembered.append(find())
        return remembered[0]

    return password


@dataclass(frozen=True, slots=True)
class _SentTo:
    """Where a password goes, and whether anybody on the way can read it."""

    address: str
    in_clear: bool = False


def _find(settings: Settings, password_file: str, name: str, variable: str, sent_to: _SentTo, prompt: Prompt) -> str:
    if password_file:
        return _from_file(settings.folder / password_file)
    given = _from_environment(variable, sent_to) or _from_keyring(name)
    if given:
        return given
    typed = prompt(f"Password of {name}")
    if typed is not None:
        return typed
    raise SettingsError(
        f"there is no password for {name}",
        f"Give it in a file (password_file), in {variable} or in the keyring",
    )


def _from_environment(variable: str, sent_to: _SentTo) -> str:
    """Return what the environment holds for this address; `SettingsError` where it holds it for another, or for any.

    A variable goes along into every folder in which somebody works. The settings there say to which server it is sent.
    """
    given = os.environ.get(variable, "")
    if not given:
        return ""
    if sent_to.in_clear:
        raise SettingsError(
            f"{variable} is not sent to {sent_to.address} unencrypted", "Take ldaps://, or give it in a file"
        )
    bound = os.environ.get(f"{variable}_FOR", "")
    if bound != sent_to.address:
        said = f"for {bound}, and not for {sent_to.address}" if bound else "for no address"
        raise SettingsError(f"{variable} is {said}", f"Say to whom it may go: {variable}_FOR='{sent_to.address}'")
    return given


def _from_file(path: Path) -> str:
    try:
        if path.stat().st_mode & 0o077:
            raise SettingsError(f"others can read the password file {path}", f"Run: chmod 600 {path}")
        return path.read_text(encoding="utf-8")[:_LONGEST].rstrip("\r\n")
    except (OSError, UnicodeDecodeError) as error:
        raise SettingsError(f"the password file {path} cannot be read: {error}") from error


def _from_keyring(name: str) -> str:
    """The keyring is an extra; without it, or on a machine without one, there is just nothing in it."""
    try:
        import keyring
        from keyring.errors import KeyringError
    except ImportError:
        return ""
    try:
        return keyring.get_password(KEYRING_SERVICE, name) or ""
    except KeyringError:
        return ""
