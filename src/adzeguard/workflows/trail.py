"""The trail: logs read into the store, whole or as they grow."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import BinaryIO, Final

from adzeguard.core.trail.event import Event
from adzeguard.store.trail import Place, Trail
from adzeguard.trail.growing import GrowingLog
from adzeguard.trail.port import Record
from adzeguard.trail.reading import record_of, records

_AT_ONCE: Final = 5000
"""Records written together: one by one each would wait for the disk."""
_ASIDE_AT_MOST: Final = 1000
"""Records kept aside of one log: a file that is no log at all must not fill the store."""


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


def import_log(trail: Trail, file: BinaryIO, source: str, told: Callable[[int], None] = lambda _read: None) -> Imported:
    """Read a whole log into the store; what it holds of another import is known already and adds nothing."""
    done = Imported()
    part: list[Record] = []
    for record in records(file):
        part.append(record)
        if len(part) >= _AT_ONCE:
            _write(trail, part, source, done)
            part = []
            told(done.read)
    _write(trail, part, source, done)
    return done


def follow_log(trail: Trail, log: GrowingLog, source: str) -> Imported:
    """Read what a log has grown by since it was read last, up to some thousand lines, with the place it was read to."""
    done = Imported()
    part: list[Record] = []
    for line in log.lines(_AT_ONCE):
        record = record_of(line.decode("utf-8", "surrogateescape"))
        part += [record] if record is not None else []
    _write(trail, part, source, done, Place(log.file, log.place))
    return done


def _write(trail: Trail, part: Iterable[Record], source: str, done: Imported, place: Place | None = None) -> None:
    events: list[tuple[str, Event]] = []
    aside: list[tuple[str, str]] = []
    for record in part:
        done.read += 1
        # A record that tells two things tells them in one text.
        events += [(f"{n}\0{record.text}" if n else record.text, one) for n, one in enumerate(record.events)]
        if record.trouble:
            done.set_aside += 1
            done.reasons[record.trouble] = done.reasons.get(record.trouble, 0) + 1
            aside += [(record.text, record.trouble)] if done.set_aside <= _ASIDE_AT_MOST else []
    moved = place is not None and trail.place(source) != place
    new = trail.add(events, aside, source, place) if events or aside or moved else 0
    done.events += new
    done.already_known += len(events) - new
