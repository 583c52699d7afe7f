"""What a change of an object says of itself, made from what it does and from nothing else.

By any proposer, and from any file, a change has the words that are computed here: what people
say yes to is what is done.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from datetime import timedelta
from typing import Any, Final

from adzeguard.core.change.change import Change, value_text
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.create_object import CreateObject, DeleteObject
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import AttributeChange, ObjectChange, values_of
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.descriptors.ace import Ace, AceFlag
from adzeguard.core.descriptors.protection import ON_ITS_CONTAINER, ON_THE_OBJECT
from adzeguard.core.estate.group_types import type_in_words
from adzeguard.core.estate.intake_places import read_place
from adzeguard.core.estate.logon_hours import hours_in_words
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import CONTAINERS, Kind
from adzeguard.core.file_time import moment_of_steps
from adzeguard.core.identity import fold_dn, parent_dn, split_dn
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.duties import extent_in_words
from adzeguard.core.rights.grants import Grant, only_for, who_may
from adzeguard.core.rights.questions import class_of_kind
from adzeguard.core.wording import counted_noun, some_of, when_utc

_KIND_OF_CLASS: Final = {
    "group": Kind.GROUP,
    "organizationalunit": Kind.OU,
    "computer": Kind.COMPUTER,
    "user": Kind.USER,
    "contact": Kind.CONTACT,
    "container": Kind.CONTAINER,
}
_LONGEST_VALUE: Final = 80
_HOSTS_NAMED: Final = 8


def with_words(rights: Rights, changes: Sequence[Change]) -> tuple[Change, ...]:
    """Return the changes with the words that follow from what they do."""
    writer = _Writer(rights, changes)
    return tuple(writer.worded(change) for change in changes)


class _Writer:
    def __init__(self, rights: Rights, changes: Sequence[Change]) -> None:
        self._rights = rights
        self._estate = rights.estate
        self._made = {fold_dn(c.object.dn): kind_made(c) for c in changes if isinstance(c, CreateObject)}

    def worded(self, change: Change) -> Change:
        if not isinstance(change, ObjectChange):
            return change
        say = _WORDS.get(type(change))
        # A kind of change of another package says itself what it does.
        return change if say is None else change.model_copy(update={"words": say(self, change)})

    def _kind(self, named: Named) -> Kind:
        known = id_of(self._estate, named)
        if known is not None:
            return self._estate.principal(known).kind
        return self._made.get(fold_dn(named.dn), Kind.UNRESOLVED)

    def _place(self, dn: str) -> str:
        return short_dn(self._estate, dn)

    def _called(self, named: Named, kind: Kind) -> str:
        """Accounts and groups have names with an authority; of other objects the name says too little."""
        return named.name if "\\" in named.name else self._place(named.dn) if kind != Kind.UNRESOLVED else named.dn

    def creation(self, change: CreateObject) -> str:
        kind, place = kind_made(change), self._place(parent_dn(change.object.dn))
        again = f" again, under its SID {change.was} where the directory keeps it" if change.was else ""
        if kind == Kind.OU:
            return f"create the OU {self._place(change.object.dn)}{again}"
        what = type_in_words(_number(values_of(change.attributes, "groupType"))) if kind == Kind.GROUP else kind.label
        members = len(values_of(change.attributes, "member"))
        more = f" with {counted_noun(members, 'member')}" if members else ""
        return f"create the {what} {self._called(change.object, kind)} in {place}{more}{again}"

    def deletion(self, change: DeleteObject) -> str:
        kind = self._kind(change.object)
        return f"delete the {kind.label} {self._called(change.object, kind)}"

    def move(self, change: MoveObject) -> str:
        old, new = change.object.dn, change.to
        if split_dn(old)[0] == split_dn(new)[0]:
            return f"move {self._place(old)} to {self._place(parent_dn(new))}"
        return f"move {self._place(old)} to {self._place(new)}"

    def setting(self, change: SetAttributes) -> str:
        called = self._called(change.object, self._kind(change.object))
        return "; ".join(
            self._linking(called, one) if one.name.casefold() == "gplink" else self._one_set(called, one)
            for one in change.attributes
        )

    def _one_set(self, called: str, attribute: AttributeChange) -> str:  # noqa: PLR0911 - one sentence an attribute
        name, texts = attribute.name, [_shown(value) for value in attribute.after]
        folded = name.casefold()
        if folded == "userworkstations":
            names = [name for value in attribute.after for name in value_text(value).split(",")]
            hosts = f"{some_of(names, _HOSTS_NAMED)} alone" if names else "any host again"
            return f"let {called} log on to {hosts}"
        if folded == "grouptype" and _number(attribute.after):
            return f"make {called} a {type_in_words(_number(attribute.after))}"
        if folded == "samaccountname" and texts:
            return f"name {called} {', '.join(texts)}"
        if folded == "wellknownobjects" and len(attribute.after) == 1:
            place = read_place(value_text(attribute.after[0]))
            if place is not None:
                return f"let new {place.what} land in {self._place(place.dn)}"
        if folded == "accountexpires" and texts:
            with suppress(ValueError, OverflowError):  # what is no time the guard refuses
                end = moment_of_steps(int(texts[0]))
                return f"let {called} expire on {when_utc(end)}" if end is not None else f"let {called} never expire"
        if folded == "logonhours":
            times = hours_in_words(attribute.after[0], timedelta()) if texts else ""
            return f"let {called} log on {times} UTC alone" if times else f"let {called} log on at any hour again"
        return f"set {name} of {called} to {', '.join(texts)}" if texts else f"take {name} away from {called}"

    def _linking(self, called: str, attribute: AttributeChange) -> str:
        """Say which directory policies are linked and unlinked; the same ones in another order are that."""
        before, after = (
            {fold_dn(link.policy_dn): link for value in values for link in policy_links(value_text(value))}
            for values in (attribute.before, attribute.after)
        )
        gone = [self._policy(dn) for dn in before if dn not in after]
        come = [self._policy(dn) for dn in after if dn not in before]
        parts = [f"unlink {', '.join(gone)} from {called}"] if gone else []
        parts += [f"link {', '.join(come)} to {called}"] if come else []
        return "; ".join(parts) or f"change how directory policies are linked to {called}"

    def _policy(self, dn: str) -> str:
        found = self._rights.estate.catalogue.by_dn(dn)
        return self._rights.estate.principal(found).name if found is not None else dn

    def control(self, change: SetAccountControl) -> str:
        return change.as_words.format(self._called(change.object, self._kind(change.object)))

    def rights(self, change: ChangeRights) -> str:
        kind = self._kind(change.object)
        return "; ".join(
            [
                *(self._giving(change.object, kind, grant) for grant in self._grants(change.gives, kind)),
                *(self._taking(change.object, kind, grant) for grant in self._grants(change.takes, kind)),
                *self._unread(change, kind),
            ]
        )

    def _grants(self, entries: Sequence[Ace], kind: Kind) -> list[Grant]:
        return self._rights.reader.grants(entries, class_of_kind(kind), defaults=True)

    def _unread(self, change: ChangeRights, kind: Kind) -> Iterator[str]:
        """Entries that decide nothing that we read, such as conditional ones, are not passed over in silence."""
        for what, entries in (("put in", change.gives), ("take out", change.takes)):
            read = {entry for grant in self._grants(entries, kind) for entry in grant.entries}
            count = sum(entry not in read for entry in entries)
            if count:
                odd = f"{count} {'entry' if count == 1 else 'entries'} of a kind that is not read here"
                yield f"{what} {odd}, over {self._place(change.object.dn)}"

    def _giving(self, over: Named, kind: Kind, grant: Grant) -> str:
        place = self._place(over.dn)
        if grant.entries == (ON_THE_OBJECT,):
            return f"protect {'the OU ' if over.made else ''}{place} against deletion"
        if grant.entries == (ON_ITS_CONTAINER,):
            return f"deny everyone to delete what lies directly in {place}"
        may, to = ("deny", " to") if grant.deny else ("let", "")
        return f"{may} {self._holder(grant)}{to} {grant.words}{only_for(grant)}, over {self._extent(over, kind, grant)}"

    def _taking(self, over: Named, kind: Kind, grant: Grant) -> str:
        place = self._place(over.dn)
        if grant.entries == (ON_THE_OBJECT,):
            return f"let {place} be deleted and moved"
        if grant.entries == (ON_ITS_CONTAINER,):
            return f"let what lies directly in {place} be deleted again"
        return f"withdraw: {who_may(grant, self._holder(grant))}, over {self._extent(over, kind, grant)}"

    def _holder(self, grant: Grant) -> str:
        return self._rights.holder(grant.who).qualified_name

    def _extent(self, over: Named, kind: Kind, grant: Grant) -> str:
        handed_on = grant.flags & ~AceFlag.INHERITED if kind in CONTAINERS else 0
        return extent_in_words(handed_on, self._place(over.dn))


_WORDS: Final[Mapping[type[ObjectChange], Callable[[_Writer, Any], str]]] = {
    CreateObject: _Writer.creation,
    DeleteObject: _Writer.deletion,
    MoveObject: _Writer.move,
    SetAttributes: _Writer.setting,
    SetAccountControl: _Writer.control,
    ChangeRights: _Writer.rights,
}


def kind_made(change: CreateObject) -> Kind:
    """Return what an object will be by its classes, the most special one that we know."""
    classes = {value.decode("utf-8", "replace").casefold() for value in values_of(change.attributes, "objectClass")}
    return next((kind for name, kind in _KIND_OF_CLASS.items() if name in classes), Kind.UNRESOLVED)


def _number(values: Sequence[bytes]) -> int:
    text = values[0].decode("ascii", "replace") if values else ""
    return int(text) if text.removeprefix("-").isdecimal() and len(text) < len("-2147483648") + 1 else 0


def _shown(value: bytes) -> str:
    text = value_text(value)
    return text if len(text) <= _LONGEST_VALUE else f"{text[:_LONGEST_VALUE]}… ({len(value)} bytes)"
