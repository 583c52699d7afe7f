"""A name that is taken for another one wants a named yes: what was read is not what is changed."""

from collections.abc import Iterable, Iterator
from typing import Final

from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE, Change
from adzeguard.core.change.guards.case import Case
from adzeguard.core.estate.lookalike import Twins, marked, odd_letters
from adzeguard.core.estate.named import Named

_SHOWN: Final = 5


def lookalikes(case: Case) -> Iterator[str]:
    """Yield a reason where changes name what looks like something else, and their number is not named."""
    found = list(taken_for_others(Twins(case.estate, case.important), case.changes))
    if found and case.named.lookalikes is None:
        shown = "; ".join(found[:_SHOWN])
        yield f"{shown}. Give --lookalikes {len(found)} if that is whom you mean"
    elif case.named.lookalikes is not None and case.named.lookalikes != len(found):
        yield f"you named --lookalikes {case.named.lookalikes}, and {len(found)} such names are in the proposal"


def taken_for_others(twins: Twins, changes: Iterable[Change]) -> Iterator[str]:
    """Yield, each once, what changes give something to, or are typed about, that is taken for something else.

    What a rule takes away is not asked about: nobody has typed that name, and who chose it well would stay inside.
    """
    named = {one.key: one for change in changes if _is_meant(change) for one in change.identities() if one.name}
    yield from (said for one in named.values() if (said := _looks_like(twins, one)))


def _is_meant(change: Change) -> bool:
    return change.rule == BY_HAND_RULE or (change.rule != UNDO_RULE and bool(change.puts_in()))


def _looks_like(twins: Twins, one: Named) -> str:
    name = one.name.rpartition("\\")[2]
    twin = twins.of(name, one.sid)
    if twin is not None:
        return f"{marked(name)} looks like {twin.qualified_name}, and is not"
    return f"{marked(name)} has letters that are not what they look like" if odd_letters(name) else ""
