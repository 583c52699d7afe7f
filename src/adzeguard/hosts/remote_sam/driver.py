"""The driver for hosts that are reached by their account database."""

import shutil
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cached_property
from typing import Final

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import AdzeguardError, SettingsError
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.addresses import checked_port, host_address
from adzeguard.hosts.port import Step
from adzeguard.hosts.remote_sam.pipes import Address, Login, Pipes
from adzeguard.hosts.remote_sam.session import RemoteSamSession


def open_remote_sam(settings: Settings, secret: Secret, names: Names) -> "RemoteSamHosts":
    """Get ready to reach hosts; `SettingsError` where the settings cannot be used."""
    kerberos = settings.get("kerberos", "false")
    if kerberos not in ("true", "false"):
        raise SettingsError("adzeguard.toml: kerberos must be true or false")
    domain, _, account = settings["account"].rpartition("\\")
    # DOMAIN\ alone would log in with an empty name, which is an anonymous session.
    if not account:
        raise SettingsError(r"adzeguard.toml: account must be DOMAIN\name, or .\name for one of each host")
    kdc, keytab = settings.get("kdc", ""), settings.get("keytab", "")
    if keytab and kerberos != "true":
        raise SettingsError("adzeguard.toml: keytab is for kerberos = true alone")
    logs_in = _LogsIn(account, domain, secret, kerberos=kerberos == "true", kdc=kdc, keytab=keytab)
    return RemoteSamHosts(logs_in, settings.get("address", ""), checked_port(settings.get("port", "445")), names)


DRIVER: Final = DriverKind(
    "remote-sam",
    (
        Setting("account", r"The account that logs in, as DOMAIN\name; .\name is one of each host's own.", needed=True),
        Setting("password_file", "A file with its password that only you can read.", is_path=True, is_decisive=True),
        Setting("kerberos", "true: by the ticket that is there, and no password."),
        Setting("keytab", "A key table that gets the ticket instead.", is_path=True, is_decisive=True),
        Setting("kdc", "The address of the domain controller that gives tickets."),
        Setting("address", "How hosts are reached: {name}.example; otherwise by the directory's DNS name."),
        Setting("port", "Where SMB listens; otherwise 445."),
    ),
    open_remote_sam,
    in_worker=True,
    is_heavy=True,  # 80 ms of computing a host, seen with real ones: threads share one core
    asks_secret=lambda settings: settings.get("kerberos", "false") != "true",
)


class _LogsIn:
    """Who logs in; the password is asked for when a host is first reached, and once."""

    def __init__(
        self,
        account: str,
        domain: str,
        password: Callable[[], str],
        *,
        kerberos: bool,
        kdc: str,
        keytab: str,
    ) -> None:
        self._account = account
        self._domain = domain
        self._password = password
        self._kerberos = kerberos
        self._kdc = kdc
        self._keytab = keytab

    @cached_property
    def login(self) -> Login:
        password = "" if self._kerberos else self._password()
        # The system's own client knows the realm by its own settings; `kdc` is for a system that does not.
        by_system = self._kerberos and not self._kdc and shutil.which("kvno") is not None
        return Login(self._account, self._domain, password, self._kerberos, self._kdc, self._keytab, by_system)


class RemoteSamHosts:
    """Hosts that are reached over SMB."""

    def __init__(self, logs_in: _LogsIn, address: str, port: int, names: Names) -> None:
        self._logs_in = logs_in
        self._names = names
        self._address = address
        self._port = port

    @contextmanager
    def session(self, host: Host) -> Iterator[RemoteSamSession]:
        """Open a session with a host."""
        pipes = Pipes(self._where(host), self._logs_in.login)
        try:
            yield RemoteSamSession(pipes, host.name, self._names, is_of_directory=host.is_of_directory)
        finally:
            pipes.close()

    def steps(self, host: Host) -> Iterator[Step]:
        """Try the name, the login, and each service."""
        where = self._where(host)
        yield Step("name", f"{where.name} at {where.host}, port {where.port}")
        try:
            pipes = Pipes(where, self._logs_in.login)
        except AdzeguardError as error:
            yield Step("login", trouble=str(error))
            return
        try:
            yield Step("login", pipes.said_of_itself)
            for service, words in (("samr", "accounts"), ("lsarpc", "rights"), ("winreg", "registry")):
                pipes.service(service)
                yield Step(f"service {service}", words)
        except AdzeguardError as error:
            yield Step("service", trouble=str(error))
        finally:
            pipes.close()

    def _where(self, host: Host) -> Address:
        # A ticket is for a name as the directory has it; with a password the name is for messages alone.
        name = host.dns_name if self._logs_in.login.kerberos and host.dns_name else host.name
        return Address(name, host_address(host, self._address), self._port)

    def close(self) -> None:
        """Nothing is kept open."""
