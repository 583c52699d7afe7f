"""From the raw entries of a descriptor back to what was granted: duties in words, and plain rights for the rest."""

import uuid
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Final

from adzeguard.core.descriptors.ace import EVERYTHING, Ace, AceFlag, Right, without_generic
from adzeguard.core.descriptors.built_in import entries_told_apart
from adzeguard.core.descriptors.sddl import entries_of_text
from adzeguard.core.descriptors.standing import LOOKING, rules_everything
from adzeguard.core.errors import InputError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.identity import Sid
from adzeguard.core.rights.duties import Duty
from adzeguard.core.rights.evaluate import bits_of
from adzeguard.core.rights.schema import Schema
from adzeguard.core.values import dataclass

_HANDED: Final = AceFlag.CONTAINER_INHERIT | AceFlag.INHERIT_ONLY | AceFlag.NO_PROPAGATE
_INHERITED: Final = int(AceFlag.INHERITED)
_DELETING: Final = int(Right.DELETE | Right.DELETE_TREE)
_VERBS: Final = {
    Right.CREATE_CHILD: "create",
    Right.DELETE_CHILD: "delete",
    Right.READ_PROPERTY: "read",
    Right.WRITE_PROPERTY: "write",
    Right.SELF_WRITE: "write, validated,",
    Right.CONTROL_ACCESS: "use",
    Right.LIST_CHILDREN: "list what lies in it",
    Right.LIST_OBJECT: "see it",
    Right.DELETE: "delete it",
    Right.DELETE_TREE: "delete it with all below",
    Right.READ_CONTROL: "read the rights",
    Right.WRITE_DAC: "change rights",
    Right.WRITE_OWNER: "take ownership",
}
_ABOUT_SOMETHING: Final = int(
    Right.CREATE_CHILD
    | Right.DELETE_CHILD
    | Right.READ_PROPERTY
    | Right.WRITE_PROPERTY
    | Right.SELF_WRITE
    | Right.CONTROL_ACCESS
)
_ALL_OF: Final = {
    Right.CREATE_CHILD: "anything in it",
    Right.DELETE_CHILD: "anything in it",
    Right.READ_PROPERTY: "all attributes",
    Right.WRITE_PROPERTY: "all attributes",
    Right.SELF_WRITE: "all validated attributes",
    Right.CONTROL_ACCESS: "all control rights",
}

Atom = tuple[int, uuid.UUID | None, uuid.UUID | None]
"""One bit of a mask, what it is about, and for objects of which class."""


@dataclass(frozen=True, slots=True)
class Grant:
    """What some entries of one object give to, or deny, one principal: a duty, or plain rights without a name."""

    who: Sid
    deny: bool
    flags: int
    duty: str
    words: str
    entries: tuple[Ace, ...]
    for_classes: tuple[str, ...] = ()

    @property
    def only_attributes(self) -> bool:
        """Whether it is about reading and writing attributes, and nothing else."""
        attributes = int(Right.READ_PROPERTY | Right.WRITE_PROPERTY)
        return bool(self.entries) and all(not without_generic(e.mask) & ~attributes for e in self.entries)

    @property
    def inherited(self) -> bool:
        """Whether it came from above, where alone it can be withdrawn."""
        return bool(self.flags & AceFlag.INHERITED)


_MADE_AS_WELL: Final[Mapping[str, Sequence[str]]] = {
    # Containers of the domain's own are made with the rights of the domain itself and of OUs.
    "container": ("domainDNS", "organizationalUnit"),
    "msDS-GroupManagedServiceAccount": ("msDS-ManagedServiceAccount",),
}
"""With the rights of which classes objects of a kind may have been made too."""


class GrantReader:
    """Reads entries back into grants, by the duties of a workspace and the schema."""

    def __init__(self, schema: Schema, duties: Mapping[str, Duty], domain: Domain) -> None:
        self._schema = schema
        self._domain = domain
        self._shapes = sorted(_shapes(duties.values(), schema), key=lambda shape: -len(shape.atoms))
        self._defaults: dict[tuple[str, Sid], frozenset[Ace]] = {}

    @cached_property
    def _classes(self) -> Mapping[uuid.UUID, str]:
        return {guid: name for name, guid in self._schema.classes.items()}

    def grants(
        self, entries: Iterable[Ace], class_name: str, *, defaults: bool = False, of: Domain | None = None
    ) -> list[Grant]:
        """Return what the entries of an object of a class give; `defaults` takes in what every such object has.

        `of` is the domain that the object is of, the first one where none is said.
        """
        usual = frozenset() if defaults else self.usual_entries(class_name, of)
        by_holder: dict[tuple[Sid, bool, int], list[Ace]] = {}
        for entry in entries:
            if entry.decides and entry.sid is not None and entry.with_flags(entry.flags & ~_INHERITED) not in usual:
                by_holder.setdefault((entry.sid, entry.denies, _way_down(entry)), []).append(entry)
        return [grant for key, held in _joined(by_holder).items() for grant in self._read(*key, held)]

    def usual_entries(self, class_name: str, of: Domain | None = None) -> frozenset[Ace]:
        """Return the entries that the schema gives every new object of a class in a domain."""
        domain = of or self._domain
        key = (class_name, domain.sid)
        if key not in self._defaults:
            texts = self._schema.default_rights
            text = "".join(texts.get(name, "") for name in (class_name, *_MADE_AS_WELL.get(class_name, ())))
            try:
                self._defaults[key] = frozenset(entries_told_apart(entries_of_text(text, domain.sid), domain))
            except InputError:  # a server's own schema can hold entries of kinds that are not known here
                self._defaults[key] = frozenset()
        return self._defaults[key]

    def _read(self, who: Sid, deny: bool, flags: int, held: Sequence[Ace]) -> Iterator[Grant]:
        """First the duties whose own entries stand, then those whose rights stand in other entries, then the rest.

        `flags` are the way down that the entries share; whether they mean the object itself is told by each.
        """
        by_form = {(without_generic(e.mask), e.object_type, e.inherited_type): e for e in held}
        covered: set[Ace] = set()
        for shape in self._shapes:
            entries = tuple(by_form[form] for form in shape.forms if form in by_form)
            if len(entries) == len(shape.forms) and not covered.issuperset(entries) and _fits(shape, flags):
                covered.update(entries)
                yield self._of_duty(who, deny, shape, entries)
        atoms = {atom: entry for entry in held if entry not in covered for atom in atoms_of(entry)}
        left = set(atoms)
        for shape in self._shapes:
            if shape.atoms <= atoms.keys() and shape.atoms & left and _fits(shape, flags):
                left -= shape.atoms
                entries = tuple(dict.fromkeys(atoms[atom] for atom in sorted(shape.atoms, key=str)))
                yield self._of_duty(who, deny, shape, entries)
        rest: dict[Ace, int] = {}
        for atom in left:
            rest[atoms[atom]] = rest.get(atoms[atom], 0) | atom[0]
        for entry in held:
            if entry in rest and not (rules_everything(entry) and not rest[entry] & ~LOOKING):
                yield Grant(
                    who, deny, entry.flags, "", self.in_words(entry, rest[entry]), (entry,), self._class_of(entry)
                )

    def _of_duty(self, who: Sid, deny: bool, shape: "_Shape", entries: tuple[Ace, ...]) -> Grant:
        classes = tuple(self._classes[guid] for guid in shape.only_for)
        return Grant(who, deny, _reach(entries), shape.duty.name, shape.duty.words, entries, classes)

    def _class_of(self, entry: Ace) -> tuple[str, ...]:
        inherited_class = self._classes.get(entry.inherited_type) if entry.inherited_type else None
        return (inherited_class,) if inherited_class else ()

    def in_words(self, entry: Ace, mask: int = 0) -> str:
        """Return the plain rights of an entry: "write telephoneNumber", "create user"."""
        wanted = mask or without_generic(entry.mask)
        if wanted & EVERYTHING == EVERYTHING and entry.object_type is None:
            return "do anything"
        about = self._schema.names.get(entry.object_type, str(entry.object_type)) if entry.object_type else ""
        return ", ".join(_bit_in_words(bit, about) for bit in bits_of(wanted)) or f"use rights {wanted:#x}"


_Held = dict[tuple[Sid, bool, int], list[Ace]]


def _joined(by_holder: _Held) -> _Held:
    """Put entries for a class beside those that mean only what lies below, where nothing of theirs means the object.

    A duty over what lies below has both: creating is handed on as it is, and an entry for a class cannot say by its
    flags whether the object itself was meant.
    """
    joined = dict(by_holder)
    for (who, deny, flags), held in by_holder.items():
        below = (who, deny, flags | int(AceFlag.INHERIT_ONLY))
        if below != (who, deny, flags) and below in joined and all(e.inherited_type is not None for e in held):
            joined[below] = [*joined[below], *joined.pop((who, deny, flags))]
    return joined


def _way_down(entry: Ace) -> int:
    """How an entry is handed on. One for a class is often marked as only handed on, and its fellows are not."""
    return entry.flags & ~AceFlag.INHERIT_ONLY if entry.inherited_type is not None else entry.flags


def _reach(entries: Sequence[Ace]) -> int:
    """The flags of a grant: it means the object itself where one of its entries does."""
    here = [entry.flags for entry in entries if not entry.inherit_only]
    return here[0] if here else entries[0].flags


def atoms_of(entry: Ace) -> set[Atom]:
    """Take an entry apart into single rights."""
    return {(int(bit), entry.object_type, entry.inherited_type) for bit in bits_of(entry.mask)}


@dataclass(frozen=True, slots=True)
class _Shape:
    """One form in which a duty can stand: the rights of its entries, whole and taken apart."""

    duty: Duty
    forms: tuple[Atom, ...]
    atoms: frozenset[Atom]
    only_for: tuple[uuid.UUID, ...] = ()


def _fits(shape: _Shape, flags: int) -> bool:
    """What is for a class belongs to something handed on."""
    return all(inherited is None or flags & AceFlag.CONTAINER_INHERIT for _, _, inherited in shape.forms)


def _shapes(duties: Iterable[Duty], schema: Schema) -> Iterator[_Shape]:
    """Every form in which a duty can stand: for its own classes, on the object itself, or narrowed to one class."""
    narrowing = [schema.classes[name] for name in ("user", "group", "computer", "organizationalUnit", "contact")]
    for duty in duties:
        own = tuple(dict.fromkeys((without_generic(p.mask), p.about, p.on_class) for p in duty.parts))
        bare = tuple(dict.fromkeys((mask, about, None) for mask, about, _ in own))
        yield _shape(duty, own)
        if bare != own:
            yield _shape(duty, bare)
        else:
            for guid in narrowing:
                yield _shape(duty, tuple((mask, about, guid) for mask, about, _ in bare), (guid,))


def _shape(duty: Duty, forms: tuple[Atom, ...], only_for: tuple[uuid.UUID, ...] = ()) -> _Shape:
    atoms = frozenset((int(bit), about, on_class) for mask, about, on_class in forms for bit in bits_of(mask))
    return _Shape(duty, forms, atoms, only_for)


def _bit_in_words(bit: Right, about: str) -> str:
    verb = _VERBS.get(bit, bit.name.lower() if bit.name else hex(bit))
    return f"{verb} {about or _ALL_OF[bit]}" if bit & _ABOUT_SOMETHING else verb


def who_may(grant: Grant, holder: str) -> str:
    """Return "X may reset passwords of users", or "may not"."""
    return f"{holder} {'may not' if grant.deny else 'may'} {grant.words}{only_for(grant)}"


def only_for(grant: Grant) -> str:
    """Return " (only user)" for a duty that is narrowed to classes; nothing otherwise."""
    return f" (only {', '.join(grant.for_classes)})" if grant.for_classes and grant.duty else ""


_SINGLE: Final = {
    Right.CREATE_CHILD: "create",
    Right.DELETE_CHILD: "delete-child",
    Right.READ_PROPERTY: "read",
    Right.WRITE_PROPERTY: "write",
    Right.SELF_WRITE: "validated",
    Right.CONTROL_ACCESS: "control",
}
"""How a right over one attribute, class or control right is written where people name single rights."""


_OF_ALL: Final = "*"
"""The name of all attributes, classes or control rights together."""


def single_rights(grant: Grant, schema: Schema) -> list[str]:
    """Return plain rights as people name them, like write:telephoneNumber; an empty list if one of them has no name."""
    names: list[str] = []
    for entry in grant.entries:
        about = schema.names.get(entry.object_type) if entry.object_type else _OF_ALL
        bits = [_SINGLE.get(bit) for bit in bits_of(without_generic(entry.mask))]
        if about is None or None in bits or (about == _OF_ALL and "validated" in bits):
            return []
        names += [f"{bit}:{about}" for bit in bits]
    return names
