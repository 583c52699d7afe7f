"""Where a directory server listens."""

from urllib.parse import urlsplit

from adzeguard.core.errors import SettingsError
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Address:
    """Where a directory server listens, and how its certificate is verified."""

    url: str
    ca_file: str = ""
    tls_name: str = ""
    start_tls: bool = False
    plain: bool = False
    sealed: bool = False
    """Whether what signs in seals what is said: a ticket does."""
    timeout: int = 30
    """Seconds that the server may take to answer."""

    @property
    def host(self) -> str:
        """The host of the URL."""
        return urlsplit(self.url).hostname or ""

    @property
    def encrypted_from_start(self) -> bool:
        """Whether it is LDAPS."""
        return urlsplit(self.url).scheme == "ldaps"

    @property
    def port(self) -> int:
        """The port of the URL, or the usual one."""
        return urlsplit(self.url).port or (636 if self.encrypted_from_start else 389)

    def check(self) -> None:
        """Raise `SettingsError` for an address that cannot be used, or that would send the password in the clear."""
        try:
            scheme, _ = urlsplit(self.url).scheme, self.port
        except ValueError as error:
            raise SettingsError(f"'{self.url}' is no address: {error}", "Write ldaps://host:636") from error
        if scheme not in ("ldap", "ldaps") or not self.host:
            raise SettingsError(
                f"'{self.url}' is no address of a directory server", "Write ldaps://host or ldap://host"
            )
        if scheme == "ldap" and not (self.start_tls or self.plain or self.sealed):
            raise SettingsError(
                f"{self.url} would send the password unencrypted",
                "Use ldaps://, or --start-tls; --plain-ldap if you must, on a network you trust",
            )
        if self.tls_name and "*" in self.tls_name:
            raise SettingsError(f"'{self.tls_name}' is no name of a server", "Give --tls-name without a star")
