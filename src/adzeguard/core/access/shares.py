"""File shares of servers, and the permissions on them and on their folders."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import field
from datetime import datetime
from functools import cached_property

from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.errors import UsageError
from adzeguard.core.values import dataclass

PREFIX = "\\\\"


@dataclass(frozen=True, slots=True)
class Share:
    """One share: its own permissions as they came, empty where they are not known, and when it was read.

    `trouble` says why nothing or not all could be read.
    """

    source: str
    server: str
    name: str
    descriptor: bytes
    read_at: datetime
    trouble: str = ""

    @property
    def path(self) -> str:
        r"""The share as people write it: \\server\share."""
        return rf"{PREFIX}{self.server}\{self.name}"


@dataclass(frozen=True, slots=True)
class Folder:
    r"""One folder of a share: its path below the share, empty for the top, with \ between; its permissions.

    `denied` says why it, or what lies in it, could not be read.
    """

    path: str
    descriptor: bytes
    denied: str = ""


@dataclass(frozen=True)
class Shared:
    """All shares, and the folders of each."""

    shares: Sequence[Share] = ()
    folders: Mapping[Share, Sequence[Folder]] = field(default_factory=dict)

    def found(self, path: str) -> tuple[Share, Folder]:
        r"""Return a folder by \\server\share\folder; `UsageError` where nothing was read of it."""
        parts = [part for part in path.replace("/", "\\").removeprefix(PREFIX).split("\\") if part]
        server, name, *below = [part.casefold() for part in parts] if len(parts) > 1 else ("", "")
        share = next((s for s in self.shares if (s.server.casefold(), s.name.casefold()) == (server, name)), None)
        if share is None:
            known = ", ".join(one.path for one in self.shares[:5]) or "none"
            raise UsageError(f"no share {path} was read", f"Known: {known}. Read them: adzeguard collect --shares")
        wanted = "\\".join(below)
        folder = next((f for f in self.folders.get(share, ()) if f.path.casefold() == wanted), None)
        if folder is None or not folder.descriptor:
            why = f": {folder.denied}" if folder is not None else ""
            raise UsageError(f"no permissions of {path} were read{why}", "Perhaps it lies deeper than was read")
        return share, folder

    def entries(self) -> Iterator[tuple[str, Descriptor]]:
        """Yield every list of permissions with where it stands, those of shares themselves too."""
        for share in self.shares:
            if share.descriptor and is_readable(share.descriptor):
                yield share.path, Descriptor.from_bytes(share.descriptor)
            for folder in self.folders.get(share, ()):
                if folder.descriptor and is_readable(folder.descriptor):
                    yield whole_path(share, folder), self._read[folder.descriptor]

    @cached_property
    def _read(self) -> Mapping[bytes, Descriptor]:
        """Thousands of folders share a few lists: each is taken apart once."""
        raw = {folder.descriptor for folders in self.folders.values() for folder in folders if folder.descriptor}
        return {one: Descriptor.from_bytes(one) for one in raw if is_readable(one)}


def whole_path(share: Share, folder: Folder) -> str:
    """Return the folder as people write it."""
    return rf"{share.path}\{folder.path}" if folder.path else share.path


def deepest_first(paths: Iterable[str]) -> list[str]:
    """Return paths so that what lies in a folder comes before it."""
    return sorted(paths, key=lambda path: (-path.count("\\"), path.casefold()))
