"""Rights must not be changed so that nobody who should could change them back."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.plan import Change, ObjectChange, Verb, objects_only
from adzeguard.core.errors import InputError
from adzeguard.core.estate import Estate
from adzeguard.core.keepers import KeepersAtWork
from adzeguard.core.principal import Principal
from adzeguard.core.rights.ace import Ace, Right
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.descriptor import Descriptor
from adzeguard.core.rights.evaluate import Question
from adzeguard.core.rights.questions import Asked

_CHANGING_BACK = Asked("change-rights", (Question(Right.WRITE_DAC),))


def lost_rights(
    estate: Estate, changes: Sequence[Change], keepers: Sequence[Principal], operator: Principal | None
) -> Iterator[str]:
    """Yield a reason for each object over whose rights no keeper, or not the operator, would decide any more."""
    by_object: dict[int, list[ObjectChange]] = {}
    for change in objects_only(changes):
        found = estate.catalogue.by_dn(change.object.dn) if change.verb == Verb.RIGHTS else None
        if found is not None:
            by_object.setdefault(found, []).append(change)
    if not by_object:
        return
    everybody, at_work = Everybody(estate, Tokens(estate)), KeepersAtWork(estate, keepers).people
    raws = estate.catalogue.descriptors(by_object)
    for i, target in estate.catalogue.principals(by_object).items():
        after = _after(raws.get(i), by_object[i])
        if after is None:
            continue
        had = everybody.allowed(target, _CHANGING_BACK, Descriptor.from_bytes(raws[i]))
        has = everybody.allowed(target, _CHANGING_BACK, after)
        first, over = by_object[i][0], f"the rights over {target.dn}"
        if (had & at_work).any() and not (has & at_work).any():
            lost = f"{first.id}, {first.in_words()}: no keeper could change {over} any more"
            yield f"{lost}. Leave a keeper the right to change it back"
        elif operator is not None and operator.id >= 0 and had[operator.id] and not has[operator.id]:
            lost = f"{first.id}: you ({operator.qualified_name}) could not change {over} back"
            yield f"{lost}. Let somebody else apply it"


def _after(raw: bytes | None, changes: Sequence[ObjectChange]) -> Descriptor | None:
    """Return the descriptor as it will be; nothing where apply will call the changes conflicts."""
    if raw is None:
        return None
    try:
        descriptor = Descriptor.from_bytes(raw)
        for change in changes:
            gives, takes = (
                [Ace.from_bytes(bytes.fromhex(text)) for text in part] for part in (change.gives, change.takes)
            )
            descriptor = descriptor.with_changes(gives, takes)
    except (InputError, ValueError):
        return None
    return descriptor


def _entries(texts: Sequence[str]) -> list[Ace]:
    return [Ace.from_bytes(bytes.fromhex(text)) for text in texts]
