"""What every driver of file shares is."""

from collections.abc import Callable, Iterator, Sequence
from typing import Protocol

from adzeguard.core.access.shares import Folder
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class ReadShare:
    """A share as its server tells of it: its name, and its own permissions, empty where they are not told."""

    name: str
    descriptor: bytes = b""


class SharesDriver(Protocol):
    """The shares of one server. `ShareError` if it cannot be reached."""

    @property
    def server(self) -> str:
        """The name by which people write its paths."""

    asked_to_stop: Callable[[], bool]
    """Asked while a server goes on answering; where it says so, what is being read ends with a `ShareError`."""

    def shares(self) -> Sequence[ReadShare]:
        """Return its shares, those for printers and for the administration of the server left out."""

    def folders(self, share: str, below: str, depth: int) -> Iterator[Folder]:
        """Yield a folder and those below it, so many levels deep; what cannot be read says so and is gone on after."""

    def parts(self, share: str) -> Sequence[str]:
        """Return the folders at the top of a share: each is read on its own, so that what was read is kept."""

    def read(self, share: str, path: str) -> bytes:
        """Return the permissions of one folder."""

    def write(self, share: str, path: str, descriptor: bytes) -> None:
        """Set the permissions of one folder."""

    def close(self) -> None:
        """Let go of what is open."""
