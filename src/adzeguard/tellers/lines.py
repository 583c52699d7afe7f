"""Tells by JSON Lines at the end of a file, for programs that read such files."""

import json
import os
from collections.abc import Iterable, Sequence
from contextlib import suppress
from stat import S_ISREG
from typing import Final

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import TellError
from adzeguard.tellers.port import Letter

_BEGINS: Final = b'{"number":'


class Lines:
    """A file that grows by one line a letter."""

    def __init__(self, path: str) -> None:
        self._path = path

    def takes(self, kind: str, to: str) -> bool:  # noqa: ARG002 - the port's
        """Take everything."""
        return True

    def bundles(self, letters: Sequence[Letter]) -> Iterable[Sequence[Letter]]:
        """All at once."""
        return [letters] if letters else []

    def tell(self, letters: Sequence[Letter]) -> None:
        """Append them, and see them on the disk before they count as told."""
        text = "".join(line_of(letter) + "\n" for letter in letters)
        try:
            # Rounds run as root: a link planted under this name would let them append to any file.
            handle = os.open(self._path, os.O_RDWR | os.O_APPEND | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o600)
            try:
                _refuse_other_files(self._path, handle)
                _write_whole(handle, text.encode())
            finally:
                os.close(handle)
        except OSError as error:
            raise TellError(f"{self._path} cannot be written: {error.strerror}") from error

    def close(self) -> None:
        """Nothing is kept open."""


def _refuse_other_files(path: str, handle: int) -> None:
    """Raise `TellError` for a file that begins with anything else than a letter of ours.

    The words of a rule are somebody else's: at the end of a shell's start file they would be run.
    """
    if S_ISREG(os.fstat(handle).st_mode) and os.pread(handle, len(_BEGINS), 0) not in (b"", _BEGINS):
        raise TellError(f"{path} holds something else than letters of adzeguard; name a file of its own")


def _write_whole(handle: int, data: bytes) -> None:
    """Write all of it or nothing: half a line on a full disk would spoil the next one too."""
    before = os.fstat(handle).st_size
    left = memoryview(data)
    try:
        while left:
            left = left[os.write(handle, left) :]
        os.fsync(handle)
    except OSError:
        with suppress(OSError):  # a pipe or a device has no length to go back to
            os.ftruncate(handle, before)
        raise


def line_of(letter: Letter) -> str:
    """Return a letter as one line of JSON: number, kind, to, at, and what it says."""
    told = {"number": letter.id, "kind": letter.kind, "to": letter.to, "at": letter.made_at.isoformat(), **letter.body}
    return json.dumps(told, ensure_ascii=True, separators=(",", ":"))


def _open(settings: Settings, _secret: Secret, _names: Names) -> Lines:
    return Lines(settings["file"])


DRIVER: Final = DriverKind("lines", (Setting("file", "the file that grows", is_path=True, needed=True),), _open)
