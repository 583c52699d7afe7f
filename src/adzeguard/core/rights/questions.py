"""From the words for a right to the questions that decide it: duties, and single rights such as write:member."""

import uuid
from collections.abc import Mapping, Sequence
from typing import Final

from adzeguard.core.descriptors.ace import Right
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.principal import CONTAINERS, Kind, Principal
from adzeguard.core.rights.duties import Duty, named_duties
from adzeguard.core.rights.evaluate import Question, bits_of
from adzeguard.core.rights.schema import Schema
from adzeguard.core.values import dataclass

_CLASS_OF_KIND: Final = {
    Kind.USER: "user",
    Kind.GROUP: "group",
    Kind.COMPUTER: "computer",
    Kind.OU: "organizationalUnit",
    Kind.CONTAINER: "container",
    Kind.POLICY: "groupPolicyContainer",
    Kind.FOREIGN: "foreignSecurityPrincipal",
    Kind.DOMAIN: "domainDNS",
    Kind.CONTACT: "contact",
    Kind.TRUST: "user",
    Kind.SITE: "site",
    Kind.SERVICE: "msDS-GroupManagedServiceAccount",
}
_DELETE: Final = "delete"
_ABOUT_NAMES: Final = ("read", "write", "create", "delete-child", "control", "validated")


@dataclass(frozen=True, slots=True)
class Asked:
    """A right in words, and the questions that all must be answered with yes. `on_class` is asked of a class below."""

    words: str
    questions: tuple[Question, ...]
    on_class: str = ""
    or_container: Question | None = None
    """A right over the container that is enough as well, as for deleting."""
    never: str = ""
    """Why nobody may, whatever entries there are."""


def class_of(principal: Principal) -> str:
    """Return the class of an object by its kind."""
    return class_of_kind(principal.kind)


def class_of_kind(kind: Kind) -> str:
    """Return the class of objects of a kind."""
    return _CLASS_OF_KIND.get(kind, "top")


def asked(text: str, target: Principal, schema: Schema, duties: Mapping[str, Duty]) -> Asked:
    """Understand what somebody typed: a duty, or a single right; `UsageError` for anything else."""
    own = schema.classes.get(class_of(target))
    if text == _DELETE:
        about = (own,) if own else ()
        return Asked(text, (Question(Right.DELETE, about),), or_container=Question(Right.DELETE_CHILD, about))
    kind, colon, name = text.partition(":")
    if colon:
        if kind not in _ABOUT_NAMES:
            raise UsageError(f"there is no right '{kind}:'", f"There are {', '.join(f'{k}:' for k in _ABOUT_NAMES)}")
        never = schema.never_written(schema.known("attribute", name)) if kind == "write" else ""
        # Everybody may read most: what gives the reading of a confidential one is the other right, and is told.
        asks = reading(schema, schema.known("attribute", name), own)[::-1] if kind == "read" else ()
        return Asked(text, asks or (_about_name(kind, name, own, schema),), never=never)
    [duty] = named_duties(duties, [text], schema)
    return _of_duty(duty, target, schema)


def _about_name(kind: str, name: str, own: uuid.UUID | None, schema: Schema) -> Question:
    match kind:
        case "write":
            return Question(Right.WRITE_PROPERTY, attribute_levels(schema, schema.known("attribute", name), own))
        case "create" | "delete-child":
            right = Right.CREATE_CHILD if kind == "create" else Right.DELETE_CHILD
            return Question(right, (schema.classes[schema.known("class", name)],))
        case "validated":
            guid = schema.validated_writes[schema.known("validated write", name)]
            return Question(Right.SELF_WRITE, tuple(g for g in (guid, own) if g))
        case _:
            guid = schema.control_rights[schema.known("control right", name)]
            return Question(Right.CONTROL_ACCESS, tuple(g for g in (guid, own) if g))


def reading(schema: Schema, attribute: str, own: uuid.UUID | None) -> tuple[Question, ...]:
    """Return what reading an attribute asks for: of a confidential one also to control it ([MS-ADTS] 3.1.1.4.4)."""
    levels = attribute_levels(schema, attribute, own)
    rights = (
        (Right.CONTROL_ACCESS, Right.READ_PROPERTY) if schema.is_confidential(attribute) else (Right.READ_PROPERTY,)
    )
    return tuple(Question(right, levels) for right in rights)


def attribute_levels(schema: Schema, attribute: str, own: uuid.UUID | None) -> tuple[uuid.UUID, ...]:
    """Return what entries about an attribute may name: itself, its property set, the object's class."""
    guid, of_set = schema.attributes[attribute]
    return tuple(level for level in (guid, of_set, own) if level is not None)


def _of_duty(duty: Duty, target: Principal, schema: Schema) -> Asked:
    """Ask for each right of the duty. Over a container, a duty for a class is asked of an object of it below."""
    own_class = class_of(target)
    below = duty.classes[0] if duty.classes and own_class not in duty.classes else ""
    on_class = schema.classes.get(below or own_class)
    if below and target.kind not in CONTAINERS:
        wanted = " or ".join(duty.classes)
        raise UsageError(f"{duty.name} is about objects of class {wanted}, and {target.qualified_name} is none")
    sets = {own: of_set for own, of_set in schema.attributes.values() if of_set is not None}
    questions = []
    for part in duty.parts:
        children = part.mask & (Right.CREATE_CHILD | Right.DELETE_CHILD) and part.about is not None
        elsewhere = not below and part.on_class is not None and part.on_class != on_class
        if elsewhere or (children and target.kind not in CONTAINERS):
            continue
        levels: Sequence[uuid.UUID | None] = (
            (part.about,) if children else (part.about, sets.get(part.about) if part.about else None, on_class)
        )
        about = tuple(level for level in levels if level is not None)
        questions += [Question(right, about) for right in bits_of(part.mask)]
    return Asked(duty.name, tuple(questions), on_class=below)
