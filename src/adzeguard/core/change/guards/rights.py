"""Rights must not be changed so that nobody who should could change them back."""

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.descriptors.ace import Ace, AceFlag, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.descriptors.protection import ON_ITS_CONTAINER, ON_THE_OBJECT
from adzeguard.core.errors import InputError
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.evaluate import Question, bits_of
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


def shutting_out(case: Case) -> Iterator[str]:
    """Yield a reason for each denial by which no keeper could do any more what keepers can do now.

    A denial wins over what is given, so that one for everybody blinds the tool itself, or ties the hands of all.
    """
    estate = case.estate
    denying = [c for c in case.changes if isinstance(c, ChangeRights) and any(_shuts_out(e) for e in c.gives)]
    if not denying:
        return
    everybody, at_work = Everybody(estate, Tokens(estate)), case.keepers_before.people
    for change in denying:
        target_id = estate.catalogue.by_dn(change.object.dn)
        raw = estate.catalogue.descriptors([target_id]).get(target_id) if target_id is not None else None
        after = _after(raw, [change])
        if target_id is None or raw is None or after is None:
            continue
        target = estate.principal(target_id)
        before, then = _as_if_here(Descriptor.from_bytes(raw)), _as_if_here(after)
        for entry in filter(_shuts_out, change.gives):
            lost = [q for q in _questions(entry) if _lose(everybody, target, at_work, q, before, then)]
            if lost:
                who = f"{change.id}, {change.in_words()}: no keeper could do that any more"
                yield f"{who}. Deny it to a group that leaves a keeper out"
                break


def _shuts_out(entry: Ace) -> bool:
    """Protection against deletion is for everybody, and is taken away before the rights are changed."""
    return entry.denies and entry not in (ON_THE_OBJECT, ON_ITS_CONTAINER)


def _questions(entry: Ace) -> list[Question]:
    about = (entry.object_type,) if entry.object_type is not None else ()
    return [Question(right, about) for right in bits_of(entry.mask)]


def _as_if_here(descriptor: Descriptor) -> Descriptor:
    """What is only handed on means here what it means below."""
    return descriptor.with_entries([e.with_flags(e.flags & ~AceFlag.INHERIT_ONLY) for e in descriptor.entries])


def _lose(
    everybody: Everybody,
    target: Principal,
    at_work: NDArray[np.bool_],
    question: Question,
    before: Descriptor,
    after: Descriptor,
) -> bool:
    asked = Asked("that", (question,))
    had, has = everybody.allowed(target, asked, before), everybody.allowed(target, asked, after)
    return bool((had & at_work).any() and not (has & at_work).any())


def _after(raw: bytes | None, changes: Sequence[ChangeRights]) -> Descriptor | None:
    """Return the descriptor as it will be; None if enact will call the changes conflicts."""
    if raw is None:
        return None
    try:
        descriptor = Descriptor.from_bytes(raw)
        for change in changes:
            descriptor = change.made_in(descriptor)
    except (InputError, ValueError):
        return None
    return descriptor
