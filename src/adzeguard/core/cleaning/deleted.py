"""What was deleted and is kept by the directory for a while: what it was, and what brings it back."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime
from typing import Final

from adzeguard.core.change.by_hand.accounts import EXPIRY
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.create_object import CreateObject
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.attributes import SHOWN_ATTRIBUTES
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.file_time import steps_of
from adzeguard.core.identity import fold_dn, leaf_name, parent_dn, split_dn
from adzeguard.core.values import dataclass

_GROUP_GONE: Final = "the group is gone too"
_MEMBER_GONE: Final = "it is gone too"


@dataclass(frozen=True, slots=True)
class Deleted:
    """What is left of one object."""

    key: bytes
    """Its GUID, by which the store knows it."""
    kind: Kind
    name: str
    sid: str
    """Empty for what never had one, like an OU."""
    dn: str
    """Where it was."""
    at: datetime
    left: tuple[AttributeChange, ...] = ()
    """What the directory kept of it."""


@dataclass(frozen=True, slots=True)
class Remembered:
    """What journal or store know of it besides."""

    attributes: tuple[AttributeChange, ...] = ()
    groups: tuple[Named, ...] = ()
    members: tuple[Named, ...] = ()
    source: str = ""
    """Where from: "the journal", or "the collection of DAY"; empty where nothing is known."""


def remembered_by(past: Estate, one: Deleted, source: str) -> Remembered:
    """Return what stood in an object, who it held and what held it, in the directory of an earlier moment."""
    found = id_of(past, Named(one.name, one.sid, one.dn))
    if found is None:
        return Remembered()
    attributes = list(_values(past.principal(found)))
    holders = past.graph.groups_listing(found).tolist()
    listed = past.graph.direct_members(found).tolist()
    return Remembered(tuple(attributes), _named(past, holders), _named(past, listed), source)


def _values(one: Principal) -> Iterator[AttributeChange]:
    for each in SHOWN_ATTRIBUTES:
        if value := one.details.get(each.key):
            values = (
                (bytes.fromhex(str(value)),) if each.is_binary else (str(value).encode("utf-8", "surrogateescape"),)
            )
            yield AttributeChange(name=each.name, after=values)
    # Without it an account that was to end would come back for ever.
    if (expires := moment(one.details.get("expires"))) is not None:
        yield AttributeChange.of(EXPIRY, after=(str(steps_of(expires)),))


def _named(estate: Estate, ids: Sequence[int]) -> tuple[Named, ...]:
    found = estate.catalogue.principals(ids).values()
    return tuple(Named.of(one) for one in sorted(found, key=lambda one: one.qualified_name.casefold()))


def restored(estate: Estate, things: Sequence[tuple[Deleted, Remembered]], why: str) -> Draft:
    """Return the changes after which they are there again, each in the other too; what cannot be is left out."""
    # What lies in a container is made after it.
    things = sorted(things, key=lambda thing: len(split_dn(thing[0].dn)))
    again = {one.sid: _named_again(estate, one) for one, _ in things if one.sid}
    places = {fold_dn(one.dn) for one, _ in things}
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    notes: list[str] = []
    listed: dict[tuple[str, str], Change] = {}
    for one, known in things:
        _refuse_place(estate, one, places)
        itself = _named_again(estate, one)
        kept = {each.name.casefold() for each in one.left}
        besides = [each for each in known.attributes if each.name.casefold() not in kept]
        attributes = (*one.left, *besides)
        changes.append(CreateObject(object=itself, attributes=attributes, was=one.sid, rule=BY_HAND_RULE, why=why))
        notes += _notes(one, known)
        pairs = [(group, itself) for group in known.groups] + [(itself, member) for member in known.members]
        for group, member in pairs:
            ends = [end if end is itself else _today(estate, end, again) for end in (group, member)]
            if ends[0] is None or ends[1] is None:
                reason = _GROUP_GONE if ends[0] is None else _MEMBER_GONE
                left_out.append(LeftOut(subject=group.name, member=member.name, rule=BY_HAND_RULE, reason=reason))
            else:
                listing = AddMember(group=ends[0], member=ends[1], rule=BY_HAND_RULE, why=why)
                listed.setdefault((ends[0].key, ends[1].key), listing)
    return Draft((*changes, *listed.values()), tuple(left_out), tuple(notes))


def _named_again(estate: Estate, one: Deleted) -> Named:
    shown = rf"{estate.domain.holding(one.dn).short_name}\{one.name}" if one.sid else one.name
    return Named(name=shown, dn=one.dn, made=True)


def _refuse_place(estate: Estate, one: Deleted, made: AbstractSet[str]) -> None:
    place = parent_dn(one.dn)
    if estate.catalogue.by_dn(place) is None and fold_dn(place) not in made:
        way_out = f"Restore it as well: adzeguard retire restore --deleted '{leaf_name(place)}' '{one.name}'"
        raise UsageError(f"{short_dn(estate, place)}, where {one.name} was, is gone", way_out)
    if (there := estate.catalogue.by_dn(one.dn)) is not None:
        raise UsageError(f"{short_dn(estate, one.dn)} exists already: {estate.principal(there).kind.one}")


def _today(estate: Estate, named: Named, again: Mapping[str, Named]) -> Named | None:
    if named.sid in again:
        return again[named.sid]
    found = id_of(estate, named)
    return Named.of(estate.principal(found)) if found is not None else None


def _notes(one: Deleted, known: Remembered) -> Iterable[str]:
    if known.source:
        yield f"{one.name}: what it held and where it was listed come from {known.source}"
    else:
        yield f"{one.name}: nothing is known of its groups and values; it comes back bare"
    if one.kind in ACCOUNTS:
        yield f"{one.name} comes back disabled and without its password: set one, then adzeguard account enable"
    if not one.sid:
        yield f"{one.name} is made anew: with the rights that its place hands down, and without links of policies"
