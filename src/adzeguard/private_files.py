"""Files that only their owner may read: one way of writing them, for every part of the program."""

import fcntl
import os
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from errno import ETIMEDOUT
from pathlib import Path
from typing import Final

_BETWEEN_TRIES: Final = 0.02
_LONGEST_WAIT: Final = 30.0


def open_new(path: Path) -> int:
    """Open a file for writing that nobody else has made; what stands under its name goes first.

    A fixed name can have been taken by a link that somebody planted: it is removed and never followed.
    """
    path.unlink(missing_ok=True)
    return os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)


def write_new(path: Path, text: str | bytes) -> None:
    """Write a file that is not there yet; `FileExistsError` where it is. A link that was planted is not followed."""
    handle, temporary = _temporary_beside(path)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(text if isinstance(text, bytes) else text.encode("utf-8", "backslashreplace"))
        # A name is given only to what is whole: whoever is stopped before leaves nothing that looks like it.
        os.link(temporary, path, follow_symlinks=False)
    finally:
        Path(temporary).unlink(missing_ok=True)


def write_whole(path: Path, content: bytes) -> None:
    """Write a file whole or not at all, over one that is there; `OSError` where it cannot be."""
    handle, temporary = _temporary_beside(path)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(content)
        Path(temporary).replace(path)
    except OSError:
        Path(temporary).unlink(missing_ok=True)
        raise


def _temporary_beside(path: Path) -> tuple[int, str]:
    import tempfile

    return tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)


@contextmanager
def alone_with(path: Path, refused: Callable[[str], Exception]) -> Iterator[None]:
    """Let nobody else change a file between reading and writing it; `refused` makes the error where that cannot be.

    The lock is a file beside it, since the file itself is another one after each writing.
    """
    with ExitStack() as held:
        try:
            handle = os.open(path.with_name(f".{path.name}.lock"), os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o600)
            held.callback(os.close, handle)
            _take(handle)
        except OSError as error:
            raise refused(f"{path} cannot be changed: {error.strerror}") from error
        yield


def _take(handle: int) -> None:
    """Take the lock; `TimeoutError` where somebody else does not let go of it."""
    deadline = time.monotonic() + _LONGEST_WAIT
    while not _taken(handle):
        if time.monotonic() > deadline:
            raise TimeoutError(ETIMEDOUT, "somebody else is changing it")
        time.sleep(_BETWEEN_TRIES)


def _taken(handle: int) -> bool:
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    return True
