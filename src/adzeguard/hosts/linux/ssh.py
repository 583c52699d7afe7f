"""The driver for Linux hosts that are reached over SSH."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import AdzeguardError, SettingsError
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.addresses import checked_port, host_address
from adzeguard.hosts.linux.connections import Connections, Reaching
from adzeguard.hosts.linux.local import ADMINISTRATORS_SETTING, NAMES_SETTING, habits_of
from adzeguard.hosts.linux.session import Habits, LinuxSession
from adzeguard.hosts.linux.shell import Ran
from adzeguard.hosts.port import Step


def open_ssh(settings: Settings, _secret: Secret, names: Names) -> "SshHosts":
    """Get ready to reach hosts; `SettingsError` where the settings cannot be used."""
    keys = tuple(path for path in [settings.get("key", "")] if path)
    for path in (*keys, settings["known_hosts"]):
        if not Path(path).is_file():
            raise SettingsError(f"adzeguard.toml: there is no file {path}", "Make it, or name another")
    if settings.get("sudo", "true") not in ("true", "false"):
        raise SettingsError("adzeguard.toml: sudo must be true or false")
    reaching = Reaching(
        settings["account"],
        settings["known_hosts"],
        checked_port(settings.get("port", "22")),
        keys,
        settings.get("jump", ""),
        settings.get("sudo", "true") == "true",
    )
    return SshHosts(reaching, settings.get("address", ""), names, habits_of(settings))


DRIVER: Final = DriverKind(
    "ssh",
    (
        Setting("account", "The account that logs in.", needed=True),
        Setting("known_hosts", "The file of host keys that are trusted.", is_path=True, is_decisive=True, needed=True),
        Setting("key", "The private key; otherwise those of the agent.", is_path=True, is_decisive=True),
        Setting("port", "Where SSH listens; otherwise 22."),
        Setting("jump", "The host through which the others are reached, as account@host:port."),
        Setting("address", "How hosts are reached: {name}.example; otherwise by the directory's DNS name."),
        Setting("sudo", "false where the account may change everything without it."),
        NAMES_SETTING,
        ADMINISTRATORS_SETTING,
    ),
    open_ssh,
)


class SshShell:
    """Runs scripts on one host over its connection."""

    def __init__(self, connections: Connections, address: str) -> None:
        self._connections = connections
        self._address = address
        self.account = connections.reaching.account

    def run(self, script: bytes) -> Ran:
        """Run a script with /bin/sh as root."""
        return self._connections.run(self._address, script)


class SshHosts:
    """Hosts that are reached over SSH."""

    def __init__(self, reaching: Reaching, address: str, names: Names, habits: Habits) -> None:
        self._connections = Connections(reaching)
        self._address = address
        self._names = names
        self._habits = habits

    @contextmanager
    def session(self, host: Host) -> Iterator[LinuxSession]:
        """Open a session with a host; its connection is kept for the next."""
        yield LinuxSession(SshShell(self._connections, self._address_of(host)), self._names, self._habits)

    def steps(self, host: Host) -> Iterator[Step]:
        """Try the name, the key of the host, the login, and the right to change."""
        address = self._address_of(host)
        yield Step("name", address)
        try:
            _, fingerprint = self._connections.host_key(address)
            yield Step("port", f"it shows the key {fingerprint}")
            version = self._connections.connect(address)
            yield Step("host key and login", f"known, and {self._connections.reaching.account} is let in by {version}")
            ran = SshShell(self._connections, address).run(b"id -un")
            who = ran.out.decode("utf-8", "replace").strip()
            trouble = "" if who == "root" else f"scripts run as {who or ran.said}, who may not change accounts"
            yield Step("right to change", f"scripts run as {who}", trouble)
        except AdzeguardError as error:
            yield Step("connection", trouble=str(error))

    def _address_of(self, host: Host) -> str:
        return host_address(host, self._address)

    def close(self) -> None:
        """Close all connections."""
        self._connections.close()
