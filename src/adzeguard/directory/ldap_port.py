"""What is asked of a connection to a directory server, whichever library carries it."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Protocol

from adzeguard.directory.port import Modification

Attributes = dict[str, list[bytes]]


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
