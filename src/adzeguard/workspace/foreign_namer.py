"""Who can say what SIDs of other domains mean: the directory's own server, asked over SMB."""

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from adzeguard.core.errors import AdzeguardError, SettingsError
from adzeguard.kerberos_client import use_tickets

if TYPE_CHECKING:
    from adzeguard.core.estate.foreign import ForeignName, NamesForeigners


def namer_of(directory: Mapping[str, str], secret: Callable[[], str]) -> "NamesForeigners | None":
    r"""Return who is asked; None where `[directory] names` is not set. `SettingsError` for a way that there is not.

    A name to bind with that is a DN says nothing of how to sign in over SMB.
    """
    way = directory.get("names", "")
    if not way:
        return None
    if way != "lsa":
        raise SettingsError(f"[directory] names must be lsa, not '{way}'")
    url = next(iter((directory.get("url") or directory.get("urls", "")).split()), "")
    host = urlsplit(url).hostname or ""
    if directory.get("sign_in") == "kerberos":
        return _Lsa(host, directory.get("bind_as", ""), "", secret, by_ticket=True, keytab=directory.get("keytab", ""))
    return _Lsa(host, *_account(directory.get("bind_as", "")), secret)


def _account(bind_as: str) -> tuple[str, str]:
    if "\\" in bind_as and "=" not in bind_as:
        domain, _, account = bind_as.partition("\\")
        return account, domain
    account, at, domain = bind_as.rpartition("@")
    if not at or "=" in bind_as:
        raise SettingsError(
            "[directory] names needs bind_as to say a domain and an account", r"Write DOMAIN\name or name@domain"
        )
    return account, domain


class _Lsa:
    """Signs in when something is asked, and no sooner."""

    def __init__(
        self,
        host: str,
        account: str,
        domain: str,
        secret: Callable[[], str],
        *,
        by_ticket: bool = False,
        keytab: str = "",
    ) -> None:
        self._host, self._account, self._domain, self._secret = host, account, domain, secret
        self._by_ticket, self._keytab = by_ticket, keytab

    def foreign_names(self, sids: list[str], now: int) -> "list[ForeignName]":
        """Ask about some SIDs."""
        return self._server().foreign_names(sids, now)

    def sid_called(self, name: str) -> str:
        """Ask who is called so."""
        return self._server().sid_called(name)

    def _server(self) -> "NamesForeigners":
        try:
            from adzeguard.hosts.remote_sam.foreign_names import LsaNames
            from adzeguard.hosts.remote_sam.pipes import Address, Login
        except ImportError as error:
            raise AdzeguardError(
                "the library for it is missing", "Install it: pip install adzeguard[remote-sam]"
            ) from error
        if self._by_ticket:
            use_tickets(self._keytab, self._account, self._secret)
        password = "" if self._by_ticket else self._secret()
        login = Login(
            self._account,
            self._domain,
            password,
            kerberos=self._by_ticket,
            keytab=self._keytab,
            by_system=self._by_ticket,
        )
        return LsaNames(Address(self._host, self._host), login)
