"""Who could take an object over by moving it, or an OU above it, to where more is theirs.

A move wants deleting where the object is, writing its name, and creating where it goes ([MS-ADTS] 3.1.1.5.4.1.1). There
it takes over what that place hands down, unless it takes nothing from above.
"""

import uuid
from collections.abc import Iterator
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.members import people_in_any
from adzeguard.core.descriptors.ace import Ace, Right
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.descriptors.inheritance import handed_on
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import ACCOUNTS, CONTAINERS, Kind, Principal
from adzeguard.core.identity import fold_dn, parent_dn
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.evaluate import SELF, Question, decide, owner_has_the_rights, speaks_about
from adzeguard.core.rights.questions import Asked, attribute_levels, class_of_kind
from adzeguard.core.rights.schema import Schema
from adzeguard.core.rights.takeover import TakeoverReader
from adzeguard.core.rights.ways import LINKING
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import WELL_KNOWN

_Bools = NDArray[np.bool_]
_MOST_APART: Final = 200
"""Of more who may move something, or have more where it goes, it is not asked who is both."""


@dataclass(frozen=True, slots=True)
class Mover:
    """Somebody who gains by a move, and the entry by which they may take the object, or what it lies in, away."""

    who: int
    entry: Ace | None
    over: Principal
    """What the entry is about."""


@dataclass(frozen=True, slots=True)
class Apart:
    """Who may move an object, or what it lies in, to where others have more and they have not; and who these are.

    Whoever is one of each gains by it. `entry` and `over` are as of a `Mover`.
    """

    movers: tuple[int, ...]
    takers: tuple[int, ...]
    entry: Ace | None
    over: Principal


@dataclass(frozen=True, slots=True)
class _Place:
    """An object on the way down to the one that is asked about, with its descriptor and what it lies in."""

    principal: Principal
    descriptor: Descriptor
    container: Principal
    above: Descriptor


class Moves:
    """Finds who gains by moving something. What it found for one descriptor it remembers for all that have the same."""

    def __init__(
        self,
        estate: Estate,
        schema: Schema,
        reader: TakeoverReader,
        tokens: Tokens,
        ruling: frozenset[int],
    ) -> None:
        """`ruling` are those who rule the whole directory anyway: of them no move is told."""
        self._estate = estate
        self._schema = schema
        self._reader = reader
        self._tokens = tokens
        self._ruling_ids = ruling
        self._goals: dict[Kind, list[tuple[Descriptor, NDArray[np.intp]]]] = {}
        self._known: dict[tuple[Kind, bool, bytes, str], tuple[tuple[Mover, ...], tuple[Apart, ...]]] = {}

    @cached_property
    def _everybody(self) -> Everybody:
        """Groups too. A million people are looked up for it, so that it is made where somebody may move at all."""
        return Everybody(self._estate, self._tokens, groups_too=True)

    @cached_property
    def _ruling(self) -> _Bools:
        ruling = people_in_any(self._estate.graph, self._ruling_ids)
        ruling[list(self._ruling_ids)] = True
        return ruling

    @cached_property
    def _ruling_sids(self) -> frozenset[str]:
        known = self._estate.catalogue.principals(self._ruling_ids).values()
        return frozenset({*(str(p.sid) for p in known if p.sid), WELL_KNOWN["system"], SELF})

    def movers(self, principal: Principal, raw: bytes, *, in_use: bool) -> Iterator[Mover]:
        """Yield who gains by moving an object, or what it lies in; `in_use` says of a group whether it gives access."""
        yield from self._of(principal, raw, in_use)[0]

    def apart(self, principal: Principal, raw: bytes, *, in_use: bool) -> Iterator[Apart]:
        """Yield who could gain together by moving an object, or what it lies in."""
        yield from self._of(principal, raw, in_use)[1]

    def _of(self, principal: Principal, raw: bytes, in_use: bool) -> tuple[tuple[Mover, ...], tuple[Apart, ...]]:
        key = (principal.kind, in_use, raw, fold_dn(parent_dn(principal.dn)))
        if key not in self._known:
            apart: list[Apart] = []
            movers = tuple(self._found(principal, Descriptor.from_bytes(raw), in_use, apart))
            self._known[key] = (movers, tuple(apart))
        return self._known[key]

    def _found(self, principal: Principal, descriptor: Descriptor, in_use: bool, apart: list[Apart]) -> Iterator[Mover]:
        below: list[_Place] = []
        places = list(self._upwards(principal, descriptor))
        if not any(self._somebody_may_rename(place) for place in places):
            return
        found = np.zeros(len(self._ruling), bool)
        closed = False
        for place in places:
            closed = closed or place.descriptor.protected
            if closed and principal.kind not in ACCOUNTS:
                return  # nothing comes down to it, wherever it or what is above it goes
            below.insert(0, place)
            may_take = self._may_take_away(place) & ~self._ruling & ~found
            if may_take.any():
                have = self._takers(principal, descriptor, in_use)
                gaining, meeting = self._gaining(below, in_use, may_take & ~have, closed, have | self._ruling)
                found |= gaining
                for movers, takers in meeting:
                    apart += self._of_entries(place, movers, tuple(np.flatnonzero(takers).tolist()))
                for who in self._told(gaining, have | self._ruling):
                    yield self._mover(place, who)

    def _told(self, gaining: _Bools, beside: _Bools) -> Iterator[int]:
        """Yield the groups all of whose people gain, or have it already, and the people who gain apart from those."""
        graph, covered = self._estate.graph, beside.copy()
        groups = [i for i in np.flatnonzero(gaining).tolist() if graph.position_of(i) is not None]
        for group in groups:
            people = graph.expand(group).people
            if (gaining | beside)[people].all():
                covered[people] = True
                yield group
        covered[groups] = True
        yield from np.flatnonzero(gaining & ~covered).tolist()

    def _upwards(self, principal: Principal, descriptor: Descriptor) -> Iterator[_Place]:
        """Yield the object, the OU that it lies in, and so on up to below the top."""
        while True:
            found = self._estate.catalogue.by_dn(parent_dn(principal.dn))
            raw = self._estate.catalogue.descriptors([found]).get(found) if found is not None else None
            if found is None or raw is None or not is_readable(raw):
                return
            container, above = self._estate.principal(found), Descriptor.from_bytes(raw)
            yield _Place(principal, descriptor, container, above)
            principal, descriptor = container, above

    def _somebody_may_rename(self, place: _Place) -> bool:
        """Tell by the entries alone whether anybody but those who rule anyway may write the name."""
        question = self._renaming(place)[0]
        return any(
            entry.sid not in self._ruling_sids and not entry.denies and speaks_about(entry, question)
            for entry in place.descriptor.entries
        )

    def _renaming(self, place: _Place) -> list[Question]:
        own = self._schema.classes.get(class_of_kind(place.principal.kind))
        leaf = "ou" if place.principal.kind == Kind.OU else "cn"
        return [Question(Right.WRITE_PROPERTY, attribute_levels(self._schema, a, own)) for a in ("name", leaf)]

    def _class_of(self, kind: Kind) -> tuple[uuid.UUID, ...]:
        guid = self._schema.classes.get(class_of_kind(kind))
        return (guid,) if guid else ()

    def _may_take_away(self, place: _Place) -> _Bools:
        about = self._class_of(place.principal.kind)
        renaming = self._may(place.principal, place.descriptor, *self._renaming(place))
        if not renaming.any():
            return renaming
        taking = self._may(place.principal, place.descriptor, Question(Right.DELETE, about))
        return renaming & (taking | self._may(place.principal, place.above, Question(Right.DELETE_CHILD, about)))

    def _may(self, target: Principal, descriptor: Descriptor, *questions: Question) -> _Bools:
        return self._everybody.allowed(target, Asked("", questions), descriptor)

    def _takers(self, principal: Principal, descriptor: Descriptor, in_use: bool) -> _Bools:
        """Return who can take the object over as the descriptor stands."""
        found = np.zeros(len(self._everybody.people), bool)
        for asked in self._reader.asked(principal.kind, in_use=in_use):
            found |= self._everybody.allowed(principal, asked, descriptor)
        if descriptor.owner is not None and owner_has_the_rights(descriptor):
            found |= self._everybody.having(descriptor.owner, principal)
        return found

    def _of_entries(self, place: _Place, movers: _Bools, takers: tuple[int, ...]) -> Iterator[Apart]:
        """Yield who may move something, those together who take it away by the same entry."""
        by_entry: dict[tuple[Ace | None, int], list[Mover]] = {}
        for who in np.flatnonzero(movers).tolist():
            mover = self._mover(place, who)
            by_entry.setdefault((mover.entry, mover.over.id), []).append(mover)
        for those in by_entry.values():
            yield Apart(tuple(one.who for one in those), takers, those[0].entry, those[0].over)

    def _gaining(
        self, below: list[_Place], in_use: bool, candidates: _Bools, closed: bool, beside: _Bools
    ) -> tuple[_Bools, list[tuple[_Bools, _Bools]]]:
        """Return which candidates get the lowest object by moving the highest somewhere, and who could together.

        To one that is closed no rights come down, but the policies that are linked there do, if it is an account. Of
        those who are `beside`, since they have it anyway, none is told.
        """
        gaining = np.zeros(len(candidates), bool)
        together: list[tuple[_Bools, _Bools]] = []
        for goal, creators in self._places_for(below[0].principal.kind):
            able = np.zeros(len(candidates), bool)
            able[creators] = candidates[creators] & ~gaining[creators]
            if not able.any():
                continue
            takers = self._takers_there(below, goal, in_use, closed)
            gaining |= able & takers
            movers, takers = able & ~takers, takers & ~able & ~gaining & ~beside
            few = 0 < np.count_nonzero(movers) <= _MOST_APART and 0 < np.count_nonzero(takers) <= _MOST_APART
            together += [(movers, takers)] if few else []
        return gaining, together

    def _takers_there(self, below: list[_Place], goal: Descriptor, in_use: bool, closed: bool) -> _Bools:
        """Return who gets the lowest object when the highest has been moved to a place with this descriptor."""
        # Who rules the place can have it hand down what they like, as soon as the object is there.
        takers = self._takers(_NOWHERE, goal, in_use=True)
        if below[-1].principal.kind in ACCOUNTS:
            takers |= self._may(_NOWHERE, goal, *self._reader.questions(LINKING, Kind.OU))
        if closed:
            return takers
        before, after, moved = below[0].above, goal, below[0].descriptor
        for place in below:
            guid = self._schema.classes.get(class_of_kind(place.principal.kind))
            moved = handed_on(before.entries, after.entries, place.descriptor, guid)
            before, after = place.descriptor, moved
        return takers | self._takers(below[-1].principal, moved, in_use)

    def _places_for(self, kind: Kind) -> list[tuple[Descriptor, NDArray[np.intp]]]:
        """Return the descriptors of containers in which somebody may create objects of a kind, and who that is."""
        if kind not in self._goals:
            creating = Question(Right.CREATE_CHILD, self._class_of(kind))
            self._goals[kind] = []
            for use in self._estate.catalogue.descriptor_uses():
                if use.kind in CONTAINERS and is_readable(use.raw):
                    goal = Descriptor.from_bytes(use.raw)
                    creators = np.flatnonzero(self._may(_NOWHERE, goal, creating) & ~self._ruling)
                    self._goals[kind] += [(goal, creators)] if len(creators) else []
        return self._goals[kind]

    def _mover(self, place: _Place, who: int) -> Mover:
        """Return somebody who gains, with the entry that lets them take it away."""
        token = self._tokens.of(self._estate.principal(who))
        about = self._class_of(place.principal.kind)
        here = decide(place.descriptor, token, "", Question(Right.DELETE, about))
        if here.allowed:
            return Mover(who, here.entry, place.principal)
        there = decide(place.above, token, "", Question(Right.DELETE_CHILD, about))
        return Mover(who, there.entry, place.container)


_NOWHERE: Final = Principal(-1, Kind.ABSENT, "", "", None, "")
