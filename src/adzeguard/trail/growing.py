"""A log of lines that grows: read from where it was left, over rotations, each line once and only when it is whole."""

import os
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO, Final

from adzeguard.core.errors import UsageError
from adzeguard.trail.reading import LONGEST_LINE

_LOOKED_AT: Final = 200
"""Files of the log's folder that are looked through for the one that was rotated away."""


class GrowingLog:
    """One log by its path. `file` and `place` say what has been read: which file, and up to which byte of it."""

    def __init__(self, path: Path, file: str = "", place: int = 0) -> None:
        """Begin at the place that was read up to last, in the same file wherever it was moved meanwhile."""
        self._path = path
        self.file = file
        self.place = place
        self.lost = False
        """Whether a file that was begun with is gone, so that its end was never read."""
        self._open: BinaryIO | None = None

    def lines(self, most: int) -> Iterator[bytes]:
        """Yield new whole lines, up to so many; `place` is right after each of them."""
        count = 0
        while count < most:
            current = self._current()
            if current is None:
                return
            line = current.readline(LONGEST_LINE)
            if line.endswith(b"\n") or len(line) >= LONGEST_LINE:
                self.place += len(line)
                count += 1
                yield line
                continue
            current.seek(self.place)  # a line that is still being written is read when it is whole
            if not self._is_over(current):
                return
            if line:
                count += 1
                yield line  # nobody writes into it any more: the last line is as whole as it will be
            self._leave()

    def close(self) -> None:
        """Let go of the file."""
        if self._open is not None:
            self._open.close()
            self._open = None

    def _current(self) -> BinaryIO | None:
        if self._open is None:
            self._open = self._opened()
        elif os.fstat(self._open.fileno()).st_size < self.place:
            self.place = 0  # it was emptied where it stands, as some rotate a log
            self._open.seek(0)
        return self._open

    def _opened(self) -> BinaryIO | None:
        """Open the file that was begun with, wherever it is now; else the one that has the name."""
        if self.file:
            begun = self._that_was_begun()
            if begun is not None:
                return begun
            self.lost = True
        try:
            opened = self._path.open("rb")
        except FileNotFoundError:
            return None  # between two files of a rotation there is none
        except OSError as error:
            raise UsageError(f"{self._path} cannot be read: {error.strerror}") from error
        self.file, self.place = _identity(opened), 0
        return opened

    def _that_was_begun(self) -> BinaryIO | None:
        try:
            near = sorted(self._path.parent.glob(f"{self._path.name}*"))[:_LOOKED_AT]
        except OSError:
            near = [self._path]
        for path in [self._path, *near]:
            try:
                opened = path.open("rb")
            except OSError:
                continue
            if _identity(opened) == self.file:
                size = os.fstat(opened.fileno()).st_size
                self.place = self.place if self.place <= size else 0
                opened.seek(self.place)
                return opened
            opened.close()
        return None

    def _is_over(self, current: BinaryIO) -> bool:
        """Tell whether another file has the name by now, so that nothing more comes into this one."""
        try:
            now = self._path.stat()
        except OSError:
            return False
        return f"{now.st_dev}:{now.st_ino}" != _identity(current)

    def _leave(self) -> None:
        self.close()
        self.file, self.place = "", 0


def _identity(file: BinaryIO) -> str:
    about = os.fstat(file.fileno())
    return f"{about.st_dev}:{about.st_ino}"
