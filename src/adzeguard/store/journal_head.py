"""Where the journal ends, kept beside the store: rows that were cut off its end are missed."""

import json
from pathlib import Path
from typing import Any

from adzeguard.core.errors import StoreError
from adzeguard.private_files import kept_whole
from adzeguard.store.chain import Head


class JournalHead:
    """The file of one workspace. With a store that a team shares, each keeps what itself has written last."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def last(self) -> Head | None:
        """Return the last row that was written from here; None if none was, or the file cannot be read."""
        return _head(self._content().get("last"))

    def missed(self) -> list[str]:
        """Return what was found missing before something else was written."""
        listed = self._content().get("missed")
        return [str(line) for line in listed] if isinstance(listed, list) else []

    def note(self, head: Head, missing: str = "") -> None:
        """Note the row that was just written, and what of the earlier ones was found missing then."""
        missed = [*self.missed(), missing] if missing else self.missed()
        content = {"last": {"seq": head.seq, "hash": head.hash}, "missed": missed}
        try:
            with kept_whole(self._path) as file:
                file.write((json.dumps(content, indent=1) + "\n").encode())
        except OSError as error:
            raise StoreError(f"{self._path} cannot be written: {error.strerror}", "Make room, and try again") from error

    def _content(self) -> dict[str, Any]:
        try:
            content = json.loads(self._path.read_text("utf-8"))
        except (OSError, ValueError, RecursionError):
            return {}
        return content if isinstance(content, dict) else {}


def _head(told: Any) -> Head | None:
    if not isinstance(told, dict) or not isinstance(told.get("seq"), int) or not isinstance(told.get("hash"), str):
        return None
    return Head(told["seq"], told["hash"])
