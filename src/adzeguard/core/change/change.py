"""What every change is: one atomic modification that knows its order, its inverse, what it touches, and its words."""

from abc import ABC, abstractmethod
from base64 import b64decode, b64encode
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping
from dataclasses import field
from enum import IntEnum
from typing import Annotated, Any, ClassVar, NamedTuple, Self

from pydantic import BaseModel, ConfigDict, Field, PlainSerializer, PlainValidator

from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.errors import InputError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.values import dataclass

BY_HAND_RULE = "by-hand"
UNDO_RULE = "undo"
_BINARY = "base64:"
_LONGEST_ACE = 64 * 1024  # an entry's size is 16 bits, [MS-DTYP] 2.4.4.1


class Order(IntEnum):
    """When a change is made: a new way in stands before an old one goes."""

    MAKE = 0
    ADD = 1
    SWITCH = 2
    ALTER = 3
    REMOVE = 4
    DELETE = 5


Key = tuple[str, ...]
"""What a change changes: changes with one key take each other's place, or take each other back."""


class About(NamedTuple):
    """The group, the member and the object that a change is about, for people."""

    group: str = ""
    member: str = ""
    object: str = ""


@dataclass(frozen=True, slots=True)
class Touched:
    """What must be read again after a change: entries by DN, containers with all that lies below."""

    entries: frozenset[str] = frozenset()
    below: frozenset[str] = frozenset()


@dataclass
class Effects:
    """What changes come to, gathered from each: who is listed where, what is gone, what gives access."""

    estate: Estate
    gained: defaultdict[int, set[int]] = field(default_factory=lambda: defaultdict(set))
    lost: defaultdict[int, set[int]] = field(default_factory=lambda: defaultdict(set))
    host_gained: defaultdict[str, set[Sid]] = field(default_factory=lambda: defaultdict(set))
    """By the folded name of the host: who comes into its administrators group."""
    host_lost: defaultdict[str, set[Sid]] = field(default_factory=lambda: defaultdict(set))
    deleted: set[str] = field(default_factory=set)
    """By SID."""
    gone: set[int] = field(default_factory=set)
    """By id who acts for nobody any more: what is deleted, and accounts that are disabled."""
    security: dict[int, bool] = field(default_factory=dict)
    values: defaultdict[int, dict[str, tuple[bytes, ...]]] = field(default_factory=lambda: defaultdict(dict))
    """By id what attributes will hold, by their folded names."""
    held_by_made: defaultdict[str, set[int | str]] = field(default_factory=lambda: defaultdict(set))
    """By the folded DN of a group that is made: who comes into it, by id, or by DN what is made as well."""
    lists_made: defaultdict[str, set[int]] = field(default_factory=lambda: defaultdict(set))
    """By the folded DN of what is made: the groups that will list it."""

    def id_of(self, named: Named) -> int | None:
        """Return the object of this name; None for what is not there, or not yet."""
        return id_of(self.estate, named)

    def put_in(self, group: Named, member: Named) -> None:
        """Gather that a group lists a member from then on, though either is made by another change only."""
        holder, inner = self.id_of(group), self.id_of(member)
        if holder is not None and inner is not None:
            self.gained[holder].add(inner)
        elif holder is not None and member.made:
            self.lists_made[fold_dn(member.dn)].add(holder)
        elif group.made:
            self.held_by_made[fold_dn(group.dn)].add(inner if inner is not None else fold_dn(member.dn))

    def settle(self) -> None:
        """Put those inside groups that are made into the groups that will list these: they come in through them."""
        for made, holders in self.lists_made.items():
            inside, waiting, seen = set[int](), [made], {made}
            while waiting:
                for inner in self.held_by_made.get(waiting.pop(), ()):
                    if isinstance(inner, int):
                        inside.add(inner)
                    elif inner not in seen:
                        seen.add(inner)
                        waiting.append(inner)
            for holder in holders:
                self.gained[holder] |= inside


class Change(BaseModel, ABC):
    """One change. A kind of change is a class of its own, with `kind` as its written name."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)

    kind: str
    id: str = ""
    rule: str
    why: str = ""
    leaves: bool = Field(False, description="What the rule put in stays when the rule goes away.")
    takes_over: bool = Field(False, description="What stands already is the rule's from then on, and goes with it.")

    order: ClassVar[Order]
    needs: ClassVar[str] = ""
    """The capability that its host must have; empty for a change of the directory."""
    counts_as: ClassVar[str] = ""
    """The kind that it is a sort of: what is asked of that one is asked of it."""
    never_back: ClassVar[str] = ""
    """Why it cannot be taken back; empty for everything else."""
    in_person: ClassVar[bool] = False
    """Whether only somebody who asks for it now gets it: no proposal in a file may."""
    takes_access_away: ClassVar[bool] = False
    """Whether somebody can be locked out by it."""
    removes_member: ClassVar[bool] = False
    uproots: ClassVar[str] = ""
    """ "deleted" or "moved", where the object itself goes: what the directory needs may not."""

    @property
    def host_name(self) -> str:
        """The host that is written to, empty for the directory."""
        return ""

    @property
    def share_server(self) -> str:
        """The server of file shares that is written to, empty for everything else."""
        return ""

    @property
    def is_note(self) -> bool:
        """Whether nothing but a note of the workspace itself is written."""
        return False

    @property
    def target(self) -> str:
        """What is written to, for people: the host, or the directory."""
        return self.host_name or "directory"

    @property
    def sorts_under(self) -> str:
        """By what changes of one order and target are sorted; empty keeps the order in which they were asked for."""
        return ""

    @property
    @abstractmethod
    def key(self) -> Key:
        """What is changed."""

    @property
    @abstractmethod
    def about(self) -> About:
        """What it is about, for people."""

    @abstractmethod
    def in_words(self) -> str:
        """Return the change as an order, without its rule."""

    @abstractmethod
    def taken_back(self, last: "Change", groups: Mapping[str, Named]) -> "Change | None":
        """Return the change from what stands after `last` to what stood before this one; None if it is the same.

        `last` is the last change made with the same key, often this one. `groups` names groups by their SIDs.
        """

    def lacking(self, state: HostState) -> str:
        """Return the capability that its host lacks for it; an empty text if it has all."""
        return "" if self.needs in state.capabilities else self.needs

    def foresee(self, effects: Effects) -> None:
        """Add what the change comes to."""

    def touches(self) -> Touched:
        """Return what must be read again in the directory after it."""
        return Touched()

    def claims(self) -> tuple[Key, ...]:
        """Return what belongs to the last maker of this change, as the table of what rules have put in knows it."""
        return ()

    def puts_in(self) -> tuple[Key, ...]:
        """Return which of that stands there now because of it."""
        return ()

    def restores(self, earlier: "Change") -> bool:  # noqa: ARG002 - kinds that set a value
        """Tell whether it puts back what stood before an earlier change, and is then no setting of its own."""
        return False

    def without(self, put_in: Iterable[Key]) -> "Change | None":  # noqa: ARG002 - kinds that put in one thing
        """Return the change less what somebody else has claimed since; None if nothing of it is left."""
        return None

    @abstractmethod
    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return the change with what it names under other identities, such as SIDs that are known by now."""

    def identities(self) -> list[Named]:
        """Return everything that it names."""
        found: list[Named] = []

        def seen(one: Named) -> Named:
            found.append(one)
            return one

        self.renamed(seen)
        return found

    def by(self, rule: str, why: str, **update: Any) -> Self:
        """Return the change as somebody else's: under another rule, for another reason."""
        return self.model_copy(update={"rule": rule, "why": why, **update})

    def undone_why(self) -> str:
        """Return the reason of the change that takes this one back."""
        return f"takes back: {self.in_words()} ({self.rule})"


def value_text(value: bytes) -> str:
    """Return an attribute's value as it is written: text as it is, anything else in base64 after "base64:"."""
    try:
        text = value.decode()
    except UnicodeDecodeError:
        text = ""
    plain = text.isprintable() and text and not text.startswith(_BINARY)
    return text if plain else _BINARY + b64encode(value).decode()


def _value(given: Any) -> bytes:
    """Read a value as it is written; inside the program values are bytes."""
    if isinstance(given, bytes):
        return given
    if not isinstance(given, str):
        raise ValueError("a value must be text")  # noqa: TRY004 - the validation library wants ValueError
    if not given.startswith(_BINARY):
        return given.encode("utf-8", "surrogateescape")
    try:
        return b64decode(given.removeprefix(_BINARY), validate=True)
    except ValueError as error:
        raise ValueError("a value is not base64") from error


def _ace(given: Any) -> Ace:
    """Read an entry of a descriptor as it is written, in hexadecimal ([MS-DTYP] 2.4.4)."""
    if isinstance(given, Ace):
        return given
    if not isinstance(given, str) or len(given) > 2 * _LONGEST_ACE:
        raise ValueError("an entry must be text in hexadecimal")
    try:
        return Ace.from_bytes(bytes.fromhex(given))
    except InputError as error:
        raise ValueError(error.message) from error


Value = Annotated[bytes, PlainValidator(_value), PlainSerializer(value_text, return_type=str)]
Entry = Annotated[Ace, PlainValidator(_ace), PlainSerializer(lambda ace: ace.to_bytes().hex(), return_type=str)]
