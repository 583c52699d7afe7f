"""Servers whose driver may stumble over what they answer.

A malformed answer of one must not end the reading of all the others: the libraries raise what comes, since they take
what a server says for well-formed.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import TypeVar

from adzeguard.core.access.shares import Folder
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import AdzeguardError, InputError, ShareError
from adzeguard.shares.port import ReadShare, SharesDriver

T = TypeVar("T")


class CarefulShares:
    """A server that is read with no other errors than ours."""

    def __init__(self, driver: SharesDriver) -> None:
        self._driver = driver
        self.server = driver.server

    def shares(self) -> Sequence[ReadShare]:
        """Return its shares; a name that comes twice stands for two, and the list for none."""
        listed = _said(self.server, self._driver.shares)
        names = [one.name.casefold() for one in listed]
        if len(set(names)) < len(names) or any(set(name) & set("\\/:\0") or not name for name in names):
            raise ShareError(rf"\\{self.server} lists a share twice, or under what is no name")
        return listed

    def parts(self, share: str) -> Sequence[str]:
        """Return the folders at the top of a share."""
        return _said(self.server, lambda: self._driver.parts(share))

    def folders(self, share: str, below: str, depth: int) -> Iterator[Folder]:
        """Yield a folder and those below; what stops the driver is told in the place of the rest."""
        told = self._driver.folders(share, below, depth)
        while True:
            found = _said(self.server, lambda: next(told, None))
            if found is None:
                return
            yield _checked(found)


def _checked(folder: Folder) -> Folder:
    """Return a folder whose permissions can be read as such; otherwise one that says that they cannot."""
    try:
        if folder.descriptor or not folder.denied:
            Descriptor.from_bytes(folder.descriptor)
    except InputError as error:
        return replace(folder, descriptor=b"", denied=f"its permissions cannot be read: {error.message}")
    return folder


def _said(server: str, ask: Callable[[], T]) -> T:
    try:
        return ask()
    except AdzeguardError:
        raise
    except Exception as error:
        said = f"{type(error).__name__}: {error}"[:200]
        raise ShareError(rf"\\{server} gave an answer that cannot be read ({said})") from error
