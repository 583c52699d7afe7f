"""The entries of a folder as a server lists them, read strictly ([MS-FSCC] 2.4.10, FileDirectoryInformation).

The library follows whatever a server says of where the next entry begins: one of a few kilobytes whose entries overlap
came to gigabytes of names.
"""

import struct
from collections.abc import Iterator
from typing import Final

from adzeguard.core.errors import ShareError

_HEAD: Final = 64
_NEXT: Final = struct.Struct("<I")
_ABOUT_NAME: Final = struct.Struct("<II")
_ABOUT_NAME_AT: Final = 56
_LARGEST: Final = 1024 * 1024


def entries_in(buffer: bytes) -> Iterator[tuple[str, int]]:
    """Yield each name with its attributes; `ShareError` for a list that is none."""
    at, last = 0, len(buffer) > _LARGEST
    while not last:
        if at + _HEAD > len(buffer):
            break
        (following,) = _NEXT.unpack_from(buffer, at)
        attributes, length = _ABOUT_NAME.unpack_from(buffer, at + _ABOUT_NAME_AT)
        end = at + (following or len(buffer) - at)
        if length % 2 or at + _HEAD + length > end or end > len(buffer):
            break
        yield buffer[at + _HEAD : at + _HEAD + length].decode("utf-16-le", "replace"), attributes
        if not following:
            return
        at = end
    raise ShareError("the server gave a broken list of a folder")
