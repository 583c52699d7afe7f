"""Duties: bundles of rights that people delegate as one, and the entries of a descriptor that they mean."""

import uuid
from collections.abc import Iterable, Mapping, Sequence
from typing import Final

from adzeguard.core.descriptors.ace import EVERYTHING, Ace, AceFlag, AceKind, Right
from adzeguard.core.descriptors.standing import LOOKING
from adzeguard.core.errors import UsageError
from adzeguard.core.identity import Sid
from adzeguard.core.rights.duty_words import DutyWords, Extent
from adzeguard.core.rights.schema import Schema
from adzeguard.core.values import dataclass
from adzeguard.core.wording import nearest

_BELOW: Final = AceFlag.CONTAINER_INHERIT | AceFlag.INHERIT_ONLY
_ANY: Final = "*"
_USER: Final = ("user",)


@dataclass(frozen=True, slots=True)
class Part:
    """One right of a duty: bits of a mask over an attribute, class or control right, on objects of a class."""

    mask: int
    about: uuid.UUID | None = None
    on_class: uuid.UUID | None = None


@dataclass(frozen=True, slots=True)
class Duty:
    """A named bundle of rights. `words` complete "may …"; `on_container` is for what is done to an OU itself."""

    name: str
    words: str
    parts: tuple[Part, ...]
    on_container: bool = False
    classes: tuple[str, ...] = ()

    def entries(
        self,
        who: Sid,
        *,
        deny: bool,
        flags: int,
        over: uuid.UUID | None = None,
        classes: Sequence[uuid.UUID] = (),
    ) -> list[Ace]:
        """Return the entries that give (or deny) the duty over an object of class `over`.

        `classes` narrow it to objects of these. An entry for a class means an object of another class as well, unless
        it is only handed on; so that is what it then is.
        """
        found: list[Ace] = []
        for part in self.parts:
            for on_class in (part.on_class,) if not classes else tuple(classes):
                if on_class is not None and on_class != over and not flags & AceFlag.CONTAINER_INHERIT:
                    continue  # it is about objects of another class, and nothing is handed on to them
                inherited = on_class if flags & AceFlag.CONTAINER_INHERIT else None
                passed_on = inherited is not None and inherited != over
                here = flags | AceFlag.INHERIT_ONLY if passed_on else flags
                about_part = part.about is not None or inherited is not None
                kinds = (AceKind.ALLOW_OBJECT, AceKind.DENY_OBJECT) if about_part else (AceKind.ALLOW, AceKind.DENY)
                entry = Ace(kinds[deny], int(here), part.mask, who, part.about, inherited)
                found += [entry] if entry not in found else []
        return found


def usual_flags(duty: Duty, extent: Extent | None, *, container: bool) -> int:
    """Return how the entries of a duty are handed on: over a container it means what lies below, if nothing is said."""
    if not container:
        return 0
    match extent:
        case "this":
            return 0
        case "below":
            return int(_BELOW)
        case "this-and-below":
            return int(AceFlag.CONTAINER_INHERIT)
        case _:
            return int(AceFlag.CONTAINER_INHERIT if duty.on_container else _BELOW)


def extent_in_words(flags: int, where: str) -> str:
    """Return "what lies below OU=Hosts" and the like."""
    if not flags & AceFlag.CONTAINER_INHERIT:
        return where
    return f"what lies below {where}" if flags & AceFlag.INHERIT_ONLY else f"{where} and below"


_STANDARD: Final[Mapping[str, DutyWords]] = {
    "password-help": DutyWords(
        "help users with their password: set a new one, unlock, ask for a change",
        _USER,
        write=("pwdLastSet", "lockoutTime"),
        control=("User-Force-Change-Password",),
    ),
    "user-lifecycle": DutyWords(
        "create, delete, enable and disable users", _USER, write=("userAccountControl",), create=_USER, delete=_USER
    ),
    "user-details": DutyWords(
        "set names, telephone numbers, addresses and places of work of users",
        _USER,
        write=(
            "displayName",
            "givenName",
            "sn",
            "initials",
            "description",
            "mail",
            "telephoneNumber",
            "mobile",
            "title",
            "department",
            "company",
            "physicalDeliveryOfficeName",
            "streetAddress",
            "l",
            "postalCode",
            "manager",
        ),
    ),
    "group-lifecycle": DutyWords(
        "create, delete, name and describe groups",
        ("group",),
        write=("name", "cn", "sAMAccountName", "displayName", "description", "info", "mail", "managedBy"),
        create=("group",),
        delete=("group",),
    ),
    "group-membership": DutyWords("change the members of groups", ("group",), write=("member",)),
    "own-membership": DutyWords("put themselves into groups and out of them", ("group",), write=("Self-Membership",)),
    "computer-lifecycle": DutyWords(
        "create, delete, enable and disable computers",
        ("computer",),
        write=("userAccountControl",),
        create=("computer",),
        delete=("computer",),
    ),
    "computer-join": DutyWords(
        "join computers to the domain",
        ("computer",),
        write=("User-Account-Restrictions", "Validated-DNS-Host-Name", "Validated-SPN"),
        control=("User-Force-Change-Password",),
    ),
    "ou-lifecycle": DutyWords(
        "create, delete and describe OUs",
        ("organizationalUnit",),
        write=("description", "managedBy"),
        create=("organizationalUnit",),
        delete=("organizationalUnit",),
    ),
    "contact-lifecycle": DutyWords(
        "create, delete and describe contacts",
        ("contact",),
        write=("displayName", "givenName", "sn", "description", "mail", "telephoneNumber", "mobile", "company"),
        create=("contact",),
        delete=("contact",),
    ),
    "policy-links": DutyWords("link directory policies", write=("gPLink", "gPOptions")),
}
"""The duties that are made of named rights ([MS-ADTS] 5.1.3.2.1, [MS-ADSC])."""

_ON_CONTAINERS: Final = frozenset({"policy-links"})


def standard_duties(schema: Schema) -> dict[str, Duty]:
    """Return the duties that ship with the tool, by name."""
    whole = (
        Duty("read-all", "read everything", (Part(LOOKING),), on_container=True),
        Duty("rights", "change rights", (Part(int(Right.WRITE_DAC)),), on_container=True),
        Duty("ownership", "take ownership", (Part(int(Right.WRITE_OWNER)),), on_container=True),
        Duty("everything", "change anything", (Part(_CHANGING),), on_container=True),
    )
    return {name: duty_of(name, words, schema) for name, words in _STANDARD.items()} | {d.name: d for d in whole}


_CHANGING: Final = EVERYTHING & ~LOOKING
"""All rights but those that only look: who is denied everything goes on seeing what is there."""


def duties_of(schema: Schema, own: Mapping[str, DutyWords]) -> dict[str, Duty]:
    """Return the standard duties and the workspace's own, which may not take the name of a standard one."""
    standard = standard_duties(schema)
    taken = standard.keys() & own.keys()
    if taken:
        raise UsageError(f"the duty {min(taken)} comes with the tool", "Give yours another name")
    return standard | {name: duty_of(name, spec, schema) for name, spec in own.items()}


def duty_of(name: str, spec: DutyWords, schema: Schema) -> Duty:
    """Turn a description into rights; `UsageError` for an attribute, class or right that the schema does not know."""
    classes = [schema.known("class", c) for c in spec.classes]
    on_classes: Sequence[uuid.UUID | None] = [schema.classes[c] for c in classes] or [None]
    masks: dict[tuple[uuid.UUID | None, uuid.UUID | None], int] = {}
    for mask, names in ((Right.READ_PROPERTY, spec.read), (Right.WRITE_PROPERTY, spec.write)):
        for wanted in names:
            about, bit = _property(schema, wanted, mask)
            for on_class in on_classes:
                masks[about, on_class] = masks.get((about, on_class), 0) | bit
    for wanted in spec.control:
        about = None if wanted == _ANY else schema.control_rights[schema.known("control right", wanted)]
        for on_class in on_classes:
            masks[about, on_class] = masks.get((about, on_class), 0) | int(Right.CONTROL_ACCESS)
    for mask, names in ((Right.CREATE_CHILD, spec.create), (Right.DELETE_CHILD, spec.delete)):
        for wanted in names:
            key = (None if wanted == _ANY else schema.classes[schema.known("class", wanted)], None)
            masks[key] = masks.get(key, 0) | int(mask)
    parts = tuple(Part(mask, about, on_class) for (about, on_class), mask in masks.items())
    containers = bool(spec.create or spec.delete) or name in _ON_CONTAINERS or not classes
    return Duty(name, spec.words, parts, on_container=containers, classes=tuple(classes))


def _property(schema: Schema, name: str, mask: Right) -> tuple[uuid.UUID | None, int]:
    """An attribute, a property set, any attribute, or a write that the directory validates."""
    if name == _ANY:
        return None, int(mask)
    if name.casefold() in schema.folded["validated write"]:
        return schema.validated_writes[schema.folded["validated write"][name.casefold()]], int(Right.SELF_WRITE)
    if name.casefold() in schema.folded["property set"]:
        return schema.property_sets[schema.folded["property set"][name.casefold()]], int(mask)
    return schema.attributes[schema.known("attribute", name)][0], int(mask)


_SINGLE: Final[Mapping[str, str]] = {
    "read": "read",
    "write": "write",
    "create": "create",
    "delete-child": "delete",
    "control": "control",
    "validated": "write",
}


def named_duties(duties: Mapping[str, Duty], names: Iterable[str], schema: Schema) -> list[Duty]:
    """Return duties by name, and single rights such as write:telephoneNumber as duties of their own.

    `UsageError` says what comes near an unknown one.
    """
    found = []
    for name in names:
        kind, colon, about = name.partition(":")
        if colon and kind in _SINGLE and name not in duties:
            verb = _SINGLE[kind]
            words = f"use {about}" if verb == "control" else f"{verb} {about}"
            found.append(duty_of(name, DutyWords(words, **{verb: (about,)}), schema))
            continue
        if name not in duties:
            near = nearest(name, duties)
            raise UsageError(
                f"there is no duty '{name}'", f"Did you mean {near}?" if near else "See: adzeguard grant duties"
            )
        found.append(duties[name])
    return found
