"""What changes of groups, OUs and single objects have in common when somebody makes them by hand."""

from collections.abc import Iterable
from dataclasses import dataclass

from adzeguard.core.change.by_hand import BY_HAND_RULE
from adzeguard.core.change.plan import AttributeChange, Change, Named, ObjectChange, ObjectVerb, Verb
from adzeguard.core.errors import GuardError, UnknownNameError, UsageError
from adzeguard.core.estate import Estate
from adzeguard.core.identity import escape_dn_value
from adzeguard.core.places import CONTAINERS
from adzeguard.core.principal import Principal
from adzeguard.core.rights.ace import Ace
from adzeguard.core.rights.descriptor import Descriptor

_LONGEST_LEAF = 64  # characters of a common name or OU name, [MS-ADSC]


@dataclass(frozen=True, slots=True)
class HandPlan:
    """Changes in their order, and what people should know before they are made."""

    changes: tuple[Change, ...]
    notes: tuple[str, ...] = ()


def numbered(changes: Iterable[Change]) -> tuple[Change, ...]:
    """Give changes their numbers in the order in which they are made."""
    return tuple(change.model_copy(update={"id": f"c{number:05}"}) for number, change in enumerate(changes, 1))


def object_change(
    verb: ObjectVerb,
    named: Named,
    words: str,
    *,
    why: str = "",
    rule: str = BY_HAND_RULE,
    attributes: Iterable[AttributeChange] = (),
    to: str = "",
    gives: Iterable[Ace] = (),
    takes: Iterable[Ace] = (),
    leaves: bool = False,
) -> ObjectChange:
    """Make one change of an object."""
    return ObjectChange(
        id="", verb=verb, object=named, words=words, attributes=tuple(attributes), to=to, rule=rule, why=why,
        gives=tuple(entry.to_bytes().hex() for entry in gives), takes=tuple(entry.to_bytes().hex() for entry in takes),
        leaves=leaves,
    )  # fmt: skip


def creation(named: Named, words: str, given: dict[str, str | tuple[str, ...]], *, rule: str, why: str) -> ObjectChange:
    """Make the change that creates an object with these attributes; empty ones are left away."""
    attributes = [
        AttributeChange(name=name, after=(value,) if isinstance(value, str) else value)
        for name, value in given.items()
        if value
    ]
    return object_change(Verb.CREATE, named, words, attributes=attributes, rule=rule, why=why)


def container_at(estate: Estate, dn: str) -> Principal:
    """Return the OU or container of this name, which may leave the base away."""
    found = estate.catalogue.by_dn(estate.domain.full_dn(dn))
    if found is None:
        raise UnknownNameError(
            f"there is no container '{dn}'", "Write it as OU=Name,OU=Above; see: adzeguard find --kind ou"
        )
    principal = estate.principal(found)
    if principal.kind not in CONTAINERS:
        raise UsageError(f"{principal.qualified_name} is a {principal.kind.label}, and holds nothing below it")
    return principal


def child_dn(attribute: str, name: str, container: Principal) -> str:
    """Return the name of something new in a container; `UsageError` where a name cannot be one."""
    if not name.strip() or len(name) > _LONGEST_LEAF or not name.isprintable():
        raise UsageError(f"'{name}' cannot be a name: it must have 1 to {_LONGEST_LEAF} printable characters")
    return f"{attribute}={escape_dn_value(name.strip())},{container.dn}"


def descriptor_over(estate: Estate, principal: Principal) -> Descriptor:
    """Return the security descriptor of an object; `GuardError` where the directory did not show it."""
    raw = estate.catalogue.descriptors([principal.id]).get(principal.id)
    if raw is None:
        raise GuardError([f"the rights over {principal.dn} are not known: they were not collected with it"])
    return Descriptor.from_bytes(raw)
