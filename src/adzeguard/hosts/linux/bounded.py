"""Reading what a host says no further than a limit: one that talks without end must not fill our memory."""

import asyncio
from collections.abc import Callable
from typing import IO, Final, Protocol

from adzeguard.core.errors import HostFileError

LONGEST_ANSWER: Final = 6 * 1024 * 1024
"""Ten thousand accounts and a month of sudo's log are half of it; eight hosts are spoken with at once."""
LONGEST_COMPLAINT: Final = 256 * 1024
_CHUNK: Final = 64 * 1024
_TOO_MUCH: Final = "the host says more than a host's state can be"


class Reader(Protocol):
    """A stream of a process, here or on a host."""

    async def read(self, n: int) -> bytes:
        """Return at most so many bytes; none at the end."""


async def both_read(out: Reader, said: Reader) -> tuple[bytes, bytes]:
    """Return all of what a script prints and complains of; `HostFileError` as soon as either is too much.

    Both are read at once: a script that fills the one pipe waits until somebody empties it.
    """
    tasks = [
        asyncio.ensure_future(_up_to(out, LONGEST_ANSWER)),
        asyncio.ensure_future(_up_to(said, LONGEST_COMPLAINT)),
    ]
    try:
        printed, complained = await asyncio.gather(*tasks)
    finally:
        for task in tasks:
            task.cancel()
    return printed, complained


def read_up_to(stream: IO[bytes], limit: int, stop: Callable[[], None]) -> bytes:
    """Return all of a pipe; `HostFileError` for too much, once `stop` has ended what writes into it."""
    whole = bytearray()
    while chunk := stream.read(_CHUNK):
        whole += chunk
        if len(whole) > limit:
            stop()
            raise HostFileError(_TOO_MUCH)
    return bytes(whole)


async def _up_to(reader: Reader, limit: int) -> bytes:
    whole = bytearray()
    while chunk := await reader.read(_CHUNK):
        whole += chunk
        if len(whole) > limit:
            raise HostFileError(_TOO_MUCH)
    return bytes(whole)
