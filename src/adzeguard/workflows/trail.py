"""The trail: logs read into the store, whole or as they grow."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import field
from io import BytesIO
from itertools import chain, islice
from multiprocessing import get_context
from pathlib import Path
from typing import BinaryIO, Final

from adzeguard.core.errors import InputError, StoreError, UsageError
from adzeguard.core.values import dataclass
from adzeguard.store.trail import Place, Trail, TrailRow, trail_row
from adzeguard.trail.growing import GrowingLog
from adzeguard.trail.port import Record
from adzeguard.trail.reading import is_of_plain_lines, lines, record_of, records, whole_lines
from adzeguard.trail.values import cleaned

_AT_ONCE: Final = 5000
"""Records written together: one by one each would wait for the disk."""
_BLOCK: Final = 2 * 1024 * 1024
"""Bytes of lines that are read together: some thousand records."""
_BLOCKS_ALONE: Final = 8
"""Blocks that are read here: another process takes as long to begin."""
_BLOCKS_AHEAD: Final = 3
_ASIDE_AT_MOST: Final = 1000
"""Records kept aside of one log: a file that is no log at all must not fill the store."""
_KINDS_AT_MOST: Final = 30
_OTHERS: Final = "others"

LOST: Final = "was rotated away before its end was read: read the old one by adzeguard trail import FILE"


@dataclass
class Imported:
    """What an import came to."""

    read: int = 0
    """Records of a known form."""
    events: int = 0
    """Events that were new."""
    already_known: int = 0
    set_aside: int = 0
    reasons: dict[str, int] = field(default_factory=dict)
    """Why records were set aside, and how often."""
    passed_over: dict[str, int] = field(default_factory=dict)
    """The kinds of records that tell nothing which the trail keeps, and how often."""


@dataclass(frozen=True, slots=True)
class Part:
    """What some records of a log come to: rows for the trail, what could not be read with its reason, how many."""

    read: int
    rows: Sequence[TrailRow]
    aside: Sequence[tuple[str, str]]
    passed_over: Sequence[str] = ()


def part_of(some: Iterable[Record]) -> Part:
    """Return what records come to."""
    read = 0
    rows: list[TrailRow] = []
    aside: list[tuple[str, str]] = []
    passed_over: list[str] = []
    for record in some:
        read += 1
        for n, event in enumerate(record.events):
            # A record that tells two things tells them in one text.
            rows.append(trail_row(f"{n}\0{record.text}" if n else record.text, event))
        if record.trouble:
            aside.append((cleaned(record.text), cleaned(record.trouble)))
        if record.passed_over:
            passed_over.append(cleaned(record.passed_over))
    return Part(read, rows, aside, passed_over)


def part_of_lines(block: bytes) -> Part:
    """Return what whole lines come to; by itself, so that another process can do it."""
    return part_of(lines(BytesIO(block)))


def import_log(trail: Trail, file: BinaryIO, source: str, told: Callable[[int], None] = lambda _read: None) -> Imported:
    """Read a whole log into the store; what it holds of another import is known already and adds nothing."""
    done = Imported()
    for part in _parts(file):
        _keep(trail, part, source, done)
        told(done.read)
    return done


def _parts(file: BinaryIO) -> Iterator[Part]:
    """Yield a log part by part. A long one of lines is read by another process too, while this one writes to the disk.

    What the one has read and the other has may come in either order: each event is known by what was logged.
    """
    if not is_of_plain_lines(file):
        some: list[Record] = []
        for record in records(file):
            some.append(record)
            if len(some) >= _AT_ONCE:
                yield part_of(some)
                some = []
        yield part_of(some)
        return
    blocks = whole_lines(file, _BLOCK)
    yield from map(part_of_lines, islice(blocks, _BLOCKS_ALONE))
    more = next(blocks, None)
    if more is not None:
        # A forked copy of a process with an open database is none that can be used.
        with ProcessPoolExecutor(1, get_context("spawn")) as pool:
            yield from _ahead(pool, chain([more], blocks))


def _ahead(pool: ProcessPoolExecutor, blocks: Iterator[bytes]) -> Iterator[Part]:
    waiting: deque[Future[Part]] = deque()
    try:
        for block in blocks:
            if len(waiting) == _BLOCKS_AHEAD and not waiting[0].done():
                yield part_of_lines(block)  # reading takes longer than writing: both have a hand in it
                continue
            if len(waiting) == _BLOCKS_AHEAD:
                yield waiting.popleft().result()
            waiting.append(pool.submit(part_of_lines, block))
        while waiting:
            yield waiting.popleft().result()
    except BrokenProcessPool as error:
        raise StoreError(
            "the process that reads the log has ended", "Import it again: nothing is added twice"
        ) from error


def follow_log(trail: Trail, log: GrowingLog, source: str) -> Imported:
    """Read what a log has grown by since it was read last, up to some thousand lines, with the place it was read to."""
    done = Imported()
    part: list[Record] = []
    for line in log.lines(_AT_ONCE):
        record = record_of(line.decode("utf-8", "surrogateescape"))
        part += [record] if record is not None else []
    _keep(trail, part_of(part), source, done, Place(log.file, log.place))
    return done


def log_of(trail: Trail, path: Path) -> GrowingLog:
    """Return a log, to be read on from where it was read last; `UsageError` where there is none and never was."""
    known = trail.place(str(path))
    if known is None and not path.exists():
        raise UsageError(f"there is no {path}", "Name the log that the directory server writes")
    return GrowingLog(path, known.file if known else "", known.place if known else 0)


def read_on(trail: Trail, path: Path) -> int:
    """Read everything that a log has grown by; return how many events were new.

    `InputError` where it cannot be read, or where it was rotated away before its end was read.
    """
    log = log_of(trail, path)
    events = 0
    try:
        while (done := follow_log(trail, log, str(path))).read:
            events += done.events
    except OSError as error:
        raise InputError(f"{path} cannot be read: {error.strerror}") from error
    finally:
        log.close()
    if log.lost:
        raise InputError(f"{path} {LOST}")
    return events


def _keep(trail: Trail, part: Part, source: str, done: Imported, place: Place | None = None) -> None:
    done.read += part.read
    for _, why in part.aside:
        done.reasons[why] = done.reasons.get(why, 0) + 1
    for kind in part.passed_over:
        known = kind if kind in done.passed_over or len(done.passed_over) < _KINDS_AT_MOST else _OTHERS
        done.passed_over[known] = done.passed_over.get(known, 0) + 1
    aside = part.aside[: max(_ASIDE_AT_MOST - done.set_aside, 0)]
    done.set_aside += len(part.aside)
    moved = place is not None and trail.place(source) != place
    new = trail.add(part.rows, aside, source, place) if part.rows or aside or moved else 0
    done.events += new
    done.already_known += len(part.rows) - new
