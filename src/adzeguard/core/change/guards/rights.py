"""Rights must not be changed so that nobody who should could change them back."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.descriptors.ace import Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import InputError
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.evaluate import Question
from adzeguard.core.rights.questions import Asked

_CHANGING_BACK = Asked("rights", (Question(Right.WRITE_DAC),))


def lost_rights(case: Case) -> Iterator[str]:
    """Yield a reason for each object over whose rights no keeper, or not the operator, would decide any more."""
    estate, operator = case.estate, case.operator
    by_object: dict[int, list[ChangeRights]] = {}
    for change in case.changes:
        target_id = estate.catalogue.by_dn(change.object.dn) if isinstance(change, ChangeRights) else None
        if target_id is not None and isinstance(change, ChangeRights):
            by_object.setdefault(target_id, []).append(change)
    if not by_object:
        return
    everybody, at_work = Everybody(estate, Tokens(estate)), case.keepers_before.people
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
            yield f"{lost}. Let somebody else enact it"


def _after(raw: bytes | None, changes: Sequence[ChangeRights]) -> Descriptor | None:
    """Return the descriptor as it will be; nothing where enact will call the changes conflicts."""
    if raw is None:
        return None
    try:
        descriptor = Descriptor.from_bytes(raw)
        for change in changes:
            descriptor = descriptor.with_changes(change.gives, change.takes)
    except (InputError, ValueError):
        return None
    return descriptor
