"""Undo: what was done, taken together, and the changes that take it back."""

from collections.abc import Iterable, Mapping, Sequence

from adzeguard.core.change.build import RANKS
from adzeguard.core.change.plan import (
    AttributeChange,
    Change,
    Expected,
    MemberChange,
    Named,
    ObjectChange,
    Verb,
    members_only,
    objects_only,
)
from adzeguard.core.identity import fold_dn

UNDO_RULE = "undo"
_Key = tuple[str, str, str, str]


def inverse_plan(done: Sequence[Change], named_by_sid: Mapping[str, Named]) -> list[Change]:
    """Return the changes that lead back to what stood before the first of the changes in `done`, oldest first.

    What was done to the same member of the same group more than once is taken together, so that a change and its
    undoing cancel. `named_by_sid` names groups that changes give by SID alone. An object that was deleted is made
    again under a new SID, and then put back into its groups.
    """
    objects = _object_inverses(objects_only(done))
    again = {change.object.sid for change in done if isinstance(change, ObjectChange) and change.verb == Verb.DELETE}
    members = [_with_new_sids(change, again - {""}) for change in _member_inverses(members_only(done), named_by_sid)]
    inverses: list[Change] = [*objects, *members]
    ordered = sorted(inverses, key=lambda change: RANKS[change.verb])
    return [change.model_copy(update={"id": f"c{number:05}"}) for number, change in enumerate(ordered, 1)]


def _member_inverses(done: Sequence[MemberChange], named_by_sid: Mapping[str, Named]) -> list[MemberChange]:
    first: dict[_Key, MemberChange] = {}
    last: dict[_Key, MemberChange] = {}
    for change in done:
        key = _key(change)
        first.setdefault(key, change)
        last[key] = change
    return [
        inverse
        for key, change in reversed(first.items())
        if (inverse := _between(change, last[key], named_by_sid)) is not None
    ]


def _key(change: MemberChange) -> _Key:
    primary = change.verb == Verb.SET_PRIMARY_GROUP
    member = change.member.sid or change.member.dn
    group = "" if primary else change.group.sid or change.group.dn
    return ("primary" if primary else "member", change.host or "", group, member)


def _between(first: MemberChange, last: MemberChange, named_by_sid: Mapping[str, Named]) -> MemberChange | None:
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


def _copy(change: MemberChange, verb: Verb, expects: str, group: Named) -> MemberChange:
    return change.model_copy(
        update={
            "verb": verb,
            "expects": expects,
            "group": group,
            "rule": UNDO_RULE,
            "why": _why(change),
            "leaves": False,
        }
    )


def _why(change: Change) -> str:
    return f"takes back: {change.in_words()} ({change.rule})"


def _with_new_sids(change: MemberChange, again: Iterable[str]) -> MemberChange:
    """What is made again has another SID, so that it is found by its name."""
    update = {
        part: named.model_copy(update={"sid": "", "made": True})
        for part, named in (("group", change.group), ("member", change.member))
        if named.sid in again
    }
    return change.model_copy(update=update) if update else change


def _object_inverses(done: Sequence[ObjectChange]) -> list[ObjectChange]:
    """Newest first. An object that was made and is gone again, or the other way round, needs nothing."""
    came_and_went = _came_and_went(done)
    return [
        inverse_of(change)
        for change in reversed(done)
        if change.verb not in (Verb.CREATE, Verb.DELETE) or fold_dn(change.object.dn) not in came_and_went
    ]


def _came_and_went(done: Sequence[ObjectChange]) -> set[str]:
    verbs: dict[str, list[Verb]] = {}
    for change in done:
        if change.verb in (Verb.CREATE, Verb.DELETE):
            verbs.setdefault(fold_dn(change.object.dn), []).append(change.verb)
    return {dn for dn, listed in verbs.items() if listed[0] != listed[-1]}


def inverse_of(change: ObjectChange) -> ObjectChange:
    """Return the change that takes one change of an object back."""
    turned = tuple(AttributeChange(name=a.name, before=a.after, after=a.before) for a in change.attributes)
    update: dict[str, object] = {"rule": UNDO_RULE, "why": _why(change), "leaves": False}
    match change.verb:
        case Verb.CREATE:
            update |= {"verb": Verb.DELETE, "words": f"delete {change.object.name}", "attributes": ()}
        case Verb.DELETE:
            object_again = change.object.model_copy(update={"sid": "", "made": True})
            words = f"make {change.object.name} again, as a new object"
            update |= {"verb": Verb.CREATE, "words": words, "attributes": turned, "object": object_again}
        case Verb.MOVE:
            back = change.object.model_copy(update={"dn": change.to})
            update |= {"object": back, "to": change.object.dn, "words": f"move {change.object.name} back"}
        case Verb.RIGHTS:
            update |= {"gives": change.takes, "takes": change.gives, "words": f"take back: {change.words}"}
        case _:
            update |= {"attributes": turned, "words": f"take back: {change.words}"}
    return change.model_copy(update=update)
