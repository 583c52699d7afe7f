"""A simulated file server: a folder with one JSON file a share, for the demo and the tests."""

import json
from base64 import b64decode, b64encode
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any, Final

from adzeguard.core.access.shares import Folder
from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import ShareError
from adzeguard.private_files import write_whole
from adzeguard.shares.port import ReadShare

_LARGEST: Final = 64 * 1024 * 1024


class StandinShares:
    """Reads and writes the files. A folder is a key of `folders`, its permissions are bytes in Base64."""

    def __init__(self, folder: Path, server: str) -> None:
        self._folder = folder
        self.server = server
        self.asked_to_stop: Callable[[], bool] = lambda: False

    def shares(self) -> Sequence[ReadShare]:
        """Return one for each file."""
        files = sorted(self._folder.glob("*.json")) if self._folder.is_dir() else None
        if files is None:
            raise ShareError(f"{self.server} does not answer: there is no folder {self._folder}")
        return [ReadShare(file.stem, self._own(file.stem)) for file in files]

    def _own(self, share: str) -> bytes:
        """The permissions of a share itself; one that is broken says so when its folders are read."""
        try:
            return b64decode(self._content(share).get("permissions", ""))
        except ShareError:
            return b""

    def parts(self, share: str) -> Sequence[str]:
        """Return the folders at the top."""
        return sorted({path.partition("\\")[0] for path in self._content(share)["folders"] if path})

    def folders(self, share: str, below: str, depth: int) -> Iterator[Folder]:
        """Yield what the file holds of a folder and below."""
        for path, raw in sorted(self._content(share)["folders"].items()):
            is_there = path == below or (path.startswith(f"{below}\\") if below else False)
            if is_there and path.count("\\") < depth:
                denied = raw.startswith("!")
                yield Folder(path, b"" if denied else b64decode(raw), raw[1:] if denied else "")

    def read(self, share: str, path: str) -> bytes:
        """Return the permissions of one folder."""
        raw = self._content(share)["folders"].get(path)
        if raw is None:
            raise ShareError(f"{share}\\{path} is not there any more")
        return b64decode(raw)

    def write(self, share: str, path: str, descriptor: bytes) -> None:
        """Set the permissions of one folder."""
        content = self._content(share)
        content["folders"][path] = b64encode(descriptor).decode()
        write_whole(self._folder / f"{share}.json", json.dumps(content, indent=1).encode())

    def close(self) -> None:
        """Nothing is kept open."""

    def _content(self, share: str) -> dict[str, Any]:
        path = self._folder / f"{share}.json"
        try:
            if path.stat().st_size > _LARGEST:
                raise ShareError(f"{path} is too large")
            content = json.loads(path.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            raise ShareError(f"{path} cannot be read: {error}") from error
        if not isinstance(content, dict) or not isinstance(content.get("folders"), dict):
            raise ShareError(f"{path} has no folders")
        return content


def _open(settings: Settings, _secret: Secret, _names: Names) -> StandinShares:
    return StandinShares(Path(settings["folder"]), settings["server"])


DRIVER: Final = DriverKind(
    "standin-shares",
    (
        Setting("folder", "the folder with one file a share", is_path=True, needed=True),
        Setting("server", "what the server is called", needed=True),
    ),
    _open,
)
