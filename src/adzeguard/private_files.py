"""Files that only their owner may read: one way of writing them, for every part of the program."""

import fcntl
import os
import re
import time
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from errno import ELOOP, ETIMEDOUT
from pathlib import Path
from stat import S_ISREG
from typing import BinaryIO, Final

from adzeguard.core.errors import SettingsError

_BETWEEN_TRIES: Final = 0.02
_LONGEST_WAIT: Final = 30.0
_STREAM: Final = re.compile(r"/dev/(stdout|stderr|fd/\d{1,4})")
"""Opened by its name, a stream that was sent into a file would write over what that holds already."""


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
        # A name is given only to what is whole: a program that is stopped before leaves nothing that looks like it.
        os.link(temporary, path, follow_symlinks=False)
    finally:
        Path(temporary).unlink(missing_ok=True)


def write_whole(path: Path, content: bytes) -> None:
    """Write a file whole or not at all, over one that is there; `OSError` where it cannot be."""
    with written_whole(path) as file:
        file.write(content)


@contextmanager
def written_whole(path: Path) -> Iterator[BinaryIO]:
    """Open a file to write; at the end it stands whole in the place of one that is there, else not at all."""
    handle, temporary = _temporary_beside(path)
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
        Path(temporary).replace(path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


@contextmanager
def kept_whole(path: Path) -> Iterator[BinaryIO]:
    """Open a file of the workspace's own in the same way, in its folder, which is made where it is missing.

    A workspace whose store is a team's database has none until something is kept.
    """
    path.parent.mkdir(mode=0o700, exist_ok=True)
    with written_whole(path) as file:
        yield file


def write_result(path: Path, content: bytes) -> None:
    """Write what somebody asked for to where they said; `OSError` where it cannot be.

    A file is written whole or not at all. What is there and is no file, such as a device, a pipe or one of the
    program's own streams, is written into as it stands: a name in its place would take it from everybody. A link to a
    file is refused: who planted it chose what would be lost.
    """
    stream = _STREAM.fullmatch(str(path))
    if stream is not None:
        handle = os.dup({"stdout": 1, "stderr": 2}.get(stream[1]) or int(stream[1].rpartition("/")[2]))
    elif path.is_symlink() and not _is_special(path):
        raise OSError(ELOOP, "it is a link; name the file itself", str(path))
    elif not path.exists() or path.is_file():
        write_whole(path, content)
        return
    else:
        # Opened without making anything, and looked at again: it may be another thing by now.
        handle = os.open(path, os.O_WRONLY | os.O_NOCTTY)
    with os.fdopen(handle, "wb") as opened:
        if stream is None and S_ISREG(os.fstat(opened.fileno()).st_mode):
            raise OSError(ELOOP, "it has become a file meanwhile", str(path))
        opened.write(content)


def _is_special(path: Path) -> bool:
    """Whether a link leads to what is there and is neither a file nor a folder."""
    return path.exists() and not path.is_file() and not path.is_dir()


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


def check_key_table(keytab: str) -> None:
    """Raise `SettingsError` for a file of keys that others can read: who can, is who it is for."""
    try:
        mode = Path(keytab).stat().st_mode
    except OSError as error:
        raise SettingsError(f"the key table {keytab} cannot be read: {error.strerror}") from error
    if mode & 0o077:
        raise SettingsError(f"the key table {keytab} can be read by others", f"chmod 600 {keytab}")
