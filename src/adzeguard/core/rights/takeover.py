"""Whom the entries of an object let take it over, and by which way."""

from collections.abc import Iterable, Iterator

from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import Sid
from adzeguard.core.rights.evaluate import SELF, Question, owner_has_the_rights, speaks_about
from adzeguard.core.rights.questions import Asked, class_of_kind
from adzeguard.core.rights.schema import Schema
from adzeguard.core.rights.ways import OWNS, WAYS, Way
from adzeguard.core.values import dataclass

Kept = tuple[str, ...]
"""The attributes in which an object holds what not every one of its kind does."""


@dataclass(frozen=True, slots=True)
class Takeover:
    """One principal's way of taking an object over: how, and the entry that gives it (none for the owner)."""

    who: Sid
    how: str
    entry: Ace | None
    unless_denied: tuple[Question, ...] = ()
    """What is to be asked of each person, as an earlier entry may deny it to some, or one entry does not give all."""
    from_inside: bool = False


class TakeoverReader:
    """Finds who holds an object by its rights.

    Denials that stand on the very same principal are taken into account here. Whether another denial meets only some
    of those whom an entry is for is told of each takeover, and decided by the tokens of people.
    """

    def __init__(self, schema: Schema) -> None:
        self._schema = schema
        self._asked: dict[tuple[Kind, bool, Kept], list[tuple[Way, tuple[Question, ...]]]] = {}

    def ways(self, kind: Kind, *, in_use: bool = True, kept: Kept = ()) -> list[tuple[Way, tuple[Question, ...]]]:
        """Return the ways over an object of a kind, with what each asks for."""
        if (kind, in_use, kept) not in self._asked:
            self._asked[kind, in_use, kept] = [
                (way, asks)
                for way in WAYS
                if kind in way.over
                and (way.in_use is None or way.in_use == in_use)
                and (not way.kept_in or way.kept_in in kept)
                and (asks := self.questions(way, kind))
            ]
        return self._asked[kind, in_use, kept]

    def questions(self, way: Way, kind: Kind) -> tuple[Question, ...]:
        """Return what a way asks for over an object of a kind."""
        return way.asks(self._schema, self._schema.classes.get(class_of_kind(kind)))

    def asked(self, kind: Kind, *, in_use: bool = True) -> Iterable[Asked]:
        """Return the ways as questions to ask of everybody; those from inside apart."""
        return [Asked(way.sentence, asks) for way, asks in self.ways(kind, in_use=in_use) if not way.from_inside]

    def takeovers(
        self, kind: Kind, descriptor: Descriptor, *, in_use: bool = True, kept: Kept = ()
    ) -> Iterator[Takeover]:
        """Yield each principal that the entries let take over an object of a kind, once for each way.

        `in_use` says of a group whether being in it gives access, `kept` of a host which passwords it has there.
        """
        for way, asks in self.ways(kind, in_use=in_use, kept=kept):
            yield from self.by(way, asks, descriptor)
        if descriptor.owner is not None and owner_has_the_rights(descriptor):
            yield Takeover(descriptor.owner, OWNS, None)

    def by(self, way: Way, asks: tuple[Question, ...], descriptor: Descriptor) -> Iterator[Takeover]:
        """Yield whom entries give the first thing that a way asks for, with what is left to be asked."""
        seen: set[Sid] = set()
        denied: set[Sid] = set()
        denials = any(entry.denies and speaks_about(entry, asks[0]) for entry in descriptor.entries)
        for entry in descriptor.entries:
            if entry.sid is None or not speaks_about(entry, asks[0]) or entry.sid == SELF:
                continue
            if entry.denies:
                denied.add(entry.sid)
            elif not entry.conditional and entry.sid not in denied and entry.sid not in seen:
                seen.add(entry.sid)
                left = asks if denials or len(asks) > 1 else ()
                yield Takeover(entry.sid, way.sentence, entry, left, way.from_inside)
