"""Reading file shares: part by part, kept as it comes, and gone on with after an interruption."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import field
from datetime import datetime, timedelta

from adzeguard.core.access.shares import Folder, Share
from adzeguard.core.errors import ShareError
from adzeguard.core.values import dataclass
from adzeguard.shares.careful import CarefulShares
from adzeguard.shares.port import ReadShare, SharesDriver
from adzeguard.store.shares import Shares

USUAL_DEPTH = 3
_FRESH = timedelta(days=1)
"""Of what was read before an interruption, only what is no older is kept."""
_TOP = ""


@dataclass
class SharesRead:
    """How much was read, and what could not be: a path with the reason."""

    shares: int = 0
    folders: int = 0
    kept: int = 0
    """Parts that an interrupted reading had read already."""
    denied: list[tuple[str, str]] = field(default_factory=list)


Progress = Callable[[str, int, int | None], None]


def read_shares(
    servers: Mapping[str, SharesDriver],
    store: Shares,
    clock: Callable[[], datetime],
    progress: Progress,
    depth: int = USUAL_DEPTH,
    stopping: Callable[[], bool] = lambda: False,
) -> SharesRead:
    """Read the shares of each server, so many levels deep. A server that does not answer keeps what was read of it."""
    read = SharesRead()
    for source, driver in servers.items():
        driver.asked_to_stop = stopping
        server = CarefulShares(driver)
        try:
            listed = server.shares()
        except ShareError as error:
            name = rf"\\{server.server}"
            read.denied.append((name, str(error).removeprefix(name).lstrip("\\: ")))
            continue
        store.forget_others(source, (one.name for one in listed))
        for one in listed:
            if stopping():
                return read
            _read_share(source, server, one, store, clock, progress, depth, stopping, read)
    return read


def _read_share(
    source: str,
    server: CarefulShares,
    listed: ReadShare,
    store: Shares,
    clock: Callable[[], datetime],
    progress: Progress,
    depth: int,
    stopping: Callable[[], bool],
    read: SharesRead,
) -> None:
    share = Share(source, server.server, listed.name, listed.descriptor, clock())
    before = store.parts_read(server.server, listed.name)
    try:
        parts = [_TOP, *server.parts(listed.name)]
    except ShareError as error:
        read.denied.append((share.path, error.message))
        store.write_share(Share(source, server.server, listed.name, listed.descriptor, clock(), error.message))
        return
    store.write_share(share)
    read.shares += 1
    for number, part in enumerate(parts):
        progress(share.path, number, len(parts))
        if stopping():
            return
        if part in before and clock() - before[part] < _FRESH:
            read.kept += 1
            continue
        folders = list(_of_part(server, share, part, depth))
        if stopping():  # what was left in the middle is no part that was read
            return
        read.folders += store.write_part(share, part, folders)
        read.denied += [(rf"{share.path}\{one.path}", one.denied) for one in folders if one.denied]
    progress(share.path, len(parts), len(parts))
    store.end(share, parts)


def _of_part(server: CarefulShares, share: Share, part: str, depth: int) -> Iterator[Folder]:
    """Yield the folders of a part: the top alone, or a folder there with all below it."""
    try:
        yield from server.folders(share.name, part, 1 if part == _TOP else depth)
    except ShareError as error:
        yield Folder(part, b"", error.message)
