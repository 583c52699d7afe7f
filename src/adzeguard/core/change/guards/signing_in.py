"""Keepers, and the operator, can go on signing in: anywhere, at any hour, with what they have."""

from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.access.at_work import SigningIn
from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.estate.principal import Flag

_LIMITING: Final = frozenset({"userworkstations", "logonhours"})


def limiting(changes: Sequence[Change]) -> dict[str, ObjectChange]:
    """Return by the SIDs of accounts the changes after which somebody can sign in less than before."""
    found: dict[str, ObjectChange] = {}
    for change in changes:
        if isinstance(change, SetAccountControl | SetAttributes) and _limits(change):
            found[change.object.sid] = change
    return found


def _limits(change: SetAccountControl | SetAttributes) -> bool:
    if isinstance(change, SetAccountControl):
        return change.control == "smart-card" and change.on
    return any(a.name.casefold() in _LIMITING and a.after for a in change.attributes)


def limited_keepers(case: Case) -> Iterator[str]:
    """Yield a reason for each keeper account and for the operator's own, and where no keeper would be left without."""
    changes = limiting(case.changes)
    if not changes:
        return
    accounts = {str(keeper.sid): keeper for keeper in case.charter.keepers if keeper.is_person}
    for sid, change in changes.items():
        if sid in accounts:
            name = accounts[sid].qualified_name
            yield f"{name} is a keeper: {change.id}, {change.in_words()}. Leave it out of the rule"
        elif case.operator is not None and sid == case.operator.sid:
            yield f"it would limit how you ({case.operator.qualified_name}) sign in: {change.id}, {change.in_words()}"
    at_work = case.estate.catalogue.principals(case.keepers_before.people.nonzero()[0].tolist()).values()
    free = [p for p in at_work if SigningIn.of(p, {}).is_free and not p.flags & Flag.SMART_CARD]
    stays = case.keepers_after.people
    if free and all(str(p.sid) in changes or not stays[p.id] for p in free):
        yield "no keeper would be left who can sign in anywhere, at any hour. Leave one of them out of the rule"
