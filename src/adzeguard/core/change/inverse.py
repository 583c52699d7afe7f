"""Undo: what was done, taken together, and the changes that take it back."""

from collections.abc import Iterable, Sequence

from adzeguard.core.change.plan import Change, Expected, Named, Verb

UNDO_RULE = "undo"
_Key = tuple[str, str, str, str]


def inverse_plan(done: Sequence[Change], named_by_sid: dict[str, Named]) -> list[Change]:
    """Return the changes that lead back to what stood before the first of the changes in `done`, oldest first.

    What was done to the same member of the same group more than once is taken together, so that a change and its
    undoing cancel. `named_by_sid` names groups that changes give by SID alone.
    """
    first: dict[_Key, Change] = {}
    last: dict[_Key, Change] = {}
    for change in done:
        key = _key(change)
        first.setdefault(key, change)
        last[key] = change
    inverses = [
        inverse
        for key, change in reversed(first.items())
        if (inverse := _between(change, last[key], named_by_sid)) is not None
    ]
    return [change.model_copy(update={"id": f"c{number:05}"}) for number, change in enumerate(_in_order(inverses), 1)]


def _key(change: Change) -> _Key:
    primary = change.verb == Verb.SET_PRIMARY_GROUP
    member = change.member.sid or change.member.dn
    return ("primary" if primary else "member", change.host or "", "" if primary else change.group.sid, member)


def _between(first: Change, last: Change, named_by_sid: dict[str, Named]) -> Change | None:
    """Return the change from after `last` to before `first`; nothing where both are the same."""
    if first.verb == Verb.SET_PRIMARY_GROUP:
        if last.group.sid == first.expects:
            return None
        before = named_by_sid.get(first.expects, Named(name=first.expects, sid=first.expects))
        return _copy(first, first.verb, last.group.sid, before)
    if first.verb != last.verb:
        return None
    if first.verb == Verb.ADD_MEMBER:
        return _copy(first, Verb.REMOVE_MEMBER, Expected.PRESENT, first.group)
    return _copy(first, Verb.ADD_MEMBER, Expected.ABSENT, first.group)


def _copy(change: Change, verb: Verb, expects: str, group: Named) -> Change:
    why = f"takes back: {change.in_words()} ({change.rule})"
    return change.model_copy(
        update={"verb": verb, "expects": expects, "group": group, "rule": UNDO_RULE, "why": why, "leaves": False}
    )


def _in_order(changes: Iterable[Change]) -> list[Change]:
    """Additions first, then primary groups, then removals, as every plan."""
    rank = {Verb.ADD_MEMBER: 0, Verb.SET_PRIMARY_GROUP: 1, Verb.REMOVE_MEMBER: 2}
    return sorted(changes, key=lambda change: rank[change.verb])
