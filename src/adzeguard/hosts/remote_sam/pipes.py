"""One connection to a host, and the pipes of its services over it."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import field
from typing import Any, Final

from impacket import nmb, smb3, smbconnection
from impacket.dcerpc.v5 import lsad, rrp, samr, srvs, transport, wkst
from impacket.dcerpc.v5.rpcrt import DCERPCException
from impacket.krb5.kerberosv5 import KerberosError

from adzeguard.core.errors import AdzeguardError, HostRefusedError, HostUnreachableError
from adzeguard.core.values import dataclass
from adzeguard.hosts.remote_sam.tickets import ticket_for
from adzeguard.hosts.remote_sam.verified_smb import VerifiedSmb

_WAIT: Final = 15
_SERVICES: Final = {
    "samr": samr.MSRPC_UUID_SAMR,
    "lsarpc": lsad.MSRPC_UUID_LSAD,
    "winreg": rrp.MSRPC_UUID_RRP,
    "srvsvc": srvs.MSRPC_UUID_SRVS,
    "wkssvc": wkst.MSRPC_UUID_WKST,
}
_NO_PIPE: Final = ("STATUS_OBJECT_NAME_NOT_FOUND", "STATUS_PIPE_NOT_AVAILABLE", "STATUS_OBJECT_PATH_NOT_FOUND")
_DENIED: Final = ("STATUS_LOGON_FAILURE", "STATUS_ACCESS_DENIED", "STATUS_ACCOUNT", "STATUS_PASSWORD", "STATUS_WRONG")


@dataclass(frozen=True, slots=True)
class Login:
    """Who logs in, and how: with a password, with the tickets of a cache, or with one that the system gets."""

    account: str
    domain: str
    password: str = field(default="", repr=False)
    kerberos: bool = False
    kdc: str = ""
    keytab: str = ""
    by_system: bool = False
    """Whether the system's own Kerberos gets the ticket, and not the library; for a key table it does."""


@dataclass(frozen=True, slots=True)
class Address:
    """Where a host is found: the name that its tickets are for, what is connected to, and the port."""

    name: str
    host: str
    port: int = 445


class Pipes:
    """The services of one host, each opened when it is first needed."""

    def __init__(self, address: Address, login: Login) -> None:
        with library_errors(address.name):
            self._smb = VerifiedSmb(address.name, address.host, sess_port=address.port, timeout=_WAIT)
            self._connection = smbconnection.SMBConnection(existingConnection=self._smb)
            try:
                self._log_in(address, login)
            except BaseException:
                self.close()
                raise
        self._address = address
        self._own = login.account.casefold()
        self._open: dict[str, Any] = {}

    def _log_in(self, address: Address, login: Login) -> None:
        if login.kerberos:
            if login.keytab or login.by_system:
                ticket = ticket_for(address.name, login.keytab)
                self._connection.kerberosLogin(ticket.account, "", ticket.realm, TGS=ticket.content, useCache=False)
            else:
                kdc = login.kdc or None
                self._connection.kerberosLogin(login.account, "", login.domain, kdcHost=kdc, useCache=True)
        else:
            # A fall back to older ways of signing in could be forced by somebody in between.
            self._connection.login(login.account, login.password, login.domain, ntlmFallback=False)
        # A host that takes unknown names for guests would be read with a guest's eyes: few members, no error.
        if self._connection.isGuestSession():
            raise HostRefusedError(f"{address.name} lets {login.account} in as a guest alone")

    def service(self, name: str) -> Any:
        """Return a service, one of those above, bound."""
        if name not in self._open:
            with library_errors(self._address.name):
                string = rf"ncacn_np:{self._address.host}[\pipe\{name}]"
                rpc_transport = transport.DCERPCTransportFactory(string)
                rpc_transport.set_smb_connection(self._connection)
                rpc_transport.setRemoteHost(self._address.host)
                bound = rpc_transport.get_dce_rpc()
                try:
                    bound.connect()
                except (smbconnection.SessionError, smb3.SessionError) as error:
                    if not any(word in _status(error) for word in _NO_PIPE):
                        raise
                    # Switched off, as a registry often is: the host has its other services all the same.
                    raise HostRefusedError(f"{self._address.name} offers no service {name}") from error
                bound.bind(_SERVICES[name])
                self._open[name] = bound
        return self._open[name]

    def is_own(self, name: str) -> bool:
        r"""Tell whether a name, as DOMAIN\name, is that of who logged in here."""
        return name.rpartition("\\")[2].casefold() == self._own

    def begin(self) -> None:
        """Something else is asked of the host: its time begins anew."""
        self._smb.deadline.begin()

    @property
    def said_of_itself(self) -> str:
        """How the host says it signs and which dialect it speaks."""
        return f"SMB {self._connection.getDialect():#06x}, signed and verified"

    def close(self) -> None:
        """Log off and close the connection; a host that is gone meanwhile is no error any more."""
        with suppress(Exception):  # the library raises what comes, and there is nothing left to lose
            self._connection.close()


@contextmanager
def library_errors(host: str) -> Iterator[None]:
    """Turn what the library raises into errors of ours."""
    try:
        yield
    except AdzeguardError:
        raise
    except (smbconnection.SessionError, smb3.SessionError) as error:
        said = _status(error)
        if any(word in said for word in _DENIED):
            raise HostRefusedError(f"{host} refuses: {said}", "Check the account, its password and rights") from error
        raise HostUnreachableError(f"{host} answers: {said}") from error
    except KerberosError as error:
        raise HostRefusedError(f"no ticket for {host}: {error}", "Get one: kinit; see KRB5CCNAME") from error
    except DCERPCException as error:
        raise HostRefusedError(f"{host} refuses: {status_of(error)}") from error
    except FileNotFoundError as error:  # the cache that KRB5CCNAME names
        raise HostRefusedError(f"no ticket for {host}: there is no {error.filename}", "Get one: kinit") from error
    except (OSError, nmb.NetBIOSError) as error:
        raise HostUnreachableError(f"{host} cannot be reached: {error}", "Is it switched on?") from error


def status_of(error: Exception) -> str:
    """Return what a service answered, in the words of [MS-ERREF] 2.3."""
    return str(error).rsplit("code:", maxsplit=1)[-1].strip().split(" - ")[-1][:200]


def _status(error: Exception) -> str:
    return str(error).removeprefix("SMB SessionError: ")[:200]
