"""One process at a time changes a workspace; another is told which one holds it."""

import fcntl
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from adzeguard.core.errors import StoreBusyError, StoreError


@contextmanager
def held_file(path: Path, task: str) -> Iterator[None]:
    """Hold the lock file while the task runs; `StoreBusyError` names who holds it. It is let go even by kill -9."""
    try:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        # What holds the lock is written into it: through a planted link root would write over any file.
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o600)
    except OSError as error:
        raise StoreError(f"{path} cannot be opened: {error.strerror}", "Check the rights of the workspace") from error
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            holder = os.pread(handle, 200, 0).decode("utf-8", "replace").strip() or "another process"
            raise StoreBusyError(f"{holder} holds this workspace", "Wait for it to end, and run this again") from error
        os.ftruncate(handle, 0)
        os.pwrite(handle, f"adzeguard {task} (process {os.getpid()})".encode(), 0)
        yield
    finally:
        os.close(handle)
