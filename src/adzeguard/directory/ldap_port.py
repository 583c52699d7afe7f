"""What is asked of a connection to a directory server, by one library or another, and what is borne of a server."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Final, Protocol

from adzeguard.directory.port import Modification

Attributes = dict[str, list[bytes]]

PAGE: Final = 1000
MOST_ENTRIES: Final = 100 * PAGE
"""A server may give more than it is asked for, and not without end."""
MOST_EMPTY_PAGES: Final = 100
PAGE_TIMEOUTS: Final = 4
"""How many times the time for one answer a whole page may take."""
NOTIFICATION: Final = "1.2.840.113556.1.4.528"
"""LDAP_SERVER_NOTIFICATION_OID: seen to answer about four seconds after a change."""
LINK_ENDS: Final = "1.2.840.113556.1.4.2309"
"""LDAP_SERVER_LINK_TTL_OID: links come as <TTL=seconds,name> where they end."""


def as_filter_value(raw: bytes) -> str:
    """Return bytes as a value of a filter, each written as its number: RFC 4515 section 3."""
    return "".join(f"\\{byte:02x}" for byte in raw)


class LdapWire(Protocol):
    """One bound connection. Errors are those of `adzeguard.core.errors`, under `DirectoryError`, and no other."""

    def search(
        self,
        base: str,
        query: str,
        attributes: Sequence[str],
        *,
        scope: str = "SUBTREE",
        descriptors: bool = True,
        deleted: bool = False,
        link_ends: bool = False,
    ) -> Iterator[tuple[str, Attributes]]:
        """Yield the name and the raw attributes of each entry; attribute names are lower-case.

        Busy until the last entry was taken. Referrals to other servers are not followed.
        """

    def read(self, dn: str, attributes: Sequence[str], *, link_ends: bool = False) -> Attributes | None:
        """Return the raw attributes of one entry, or nothing when it is not there."""
        entries = list(self.search(dn, "(objectClass=*)", attributes, scope="BASE", link_ends=link_ends))
        return entries[0][1] if entries else None

    def add(self, dn: str, attributes: Mapping[str, Sequence[bytes]]) -> None:
        """Create an entry."""

    def modify(self, dn: str, modifications: Sequence[Modification], *, whole_descriptor: bool = False) -> None:
        """Change attributes of an entry, all or none. Of a descriptor only the grants, or with them owner and group."""

    def restore(self, deleted_dn: str, dn: str) -> None:
        """Take the mark of deletion from an entry and put it back among the living, in one change."""

    def rename(self, dn: str, leaf: str, parent: str) -> None:
        """Give an entry another leaf name (like "CN=New") and put it below another container."""

    def delete(self, dn: str) -> None:
        """Remove an entry."""

    def ask_for_changes(self, base: str) -> None:
        """Ask to be told of every change from now on ([MS-ADTS] 3.1.1.3.4.1.9), over a connection for that alone."""

    def told_of_a_change(self, seconds: float) -> bool:
        """Wait at most so long for the next change; `DirectoryError` where the server tells none any more."""

    def close(self) -> None:
        """Say good-bye, whether or not the server still listens."""
