"""What rules have put in and nothing of ours has taken out again: the journal knows which is which."""

from collections.abc import Iterable

from adzeguard.core.change.by_hand.members import BY_HAND_RULE
from adzeguard.core.change.changes import Change, MemberChange, ObjectChange, Verb, members_only, objects_only
from adzeguard.core.change.inverse import UNDO_RULE
from adzeguard.core.estate.estate import Estate
from adzeguard.store.journal import Journal
from adzeguard.workflows.undo import really_done, with_known_sids

_OURS = {BY_HAND_RULE, UNDO_RULE}


def standing_of_rules(journal: Journal, estate: Estate) -> list[Change]:
    """Return the additions, rights and settings of rules, less those that were later taken back or made by hand."""
    done = [with_known_sids(estate, change) for change in really_done(journal.rows())]
    objects = objects_only(done)
    return [*_additions(members_only(done)), *_entries(objects), *_settings(objects)]


def _additions(done: Iterable[MemberChange]) -> list[MemberChange]:
    last: dict[tuple[str, str, str], MemberChange] = {}
    for change in done:
        if change.verb != Verb.SET_PRIMARY_GROUP:
            group = change.group.sid or change.group.dn.casefold()
            last[change.host or "", group, change.member.sid or change.member.dn] = change
    return [change for change in last.values() if change.verb == Verb.ADD_MEMBER and _is_of_a_rule(change)]


def _entries(done: Iterable[ObjectChange]) -> list[ObjectChange]:
    """Each entry of a descriptor belongs to who touched it last."""
    last: dict[tuple[str, str], ObjectChange] = {}
    for change in done:
        for entry in (*change.gives, *change.takes):
            last[change.object.dn.casefold(), entry] = change
    found = {id(change): change for change in last.values() if change.gives}
    return [change for change in found.values() if _is_of_a_rule(change)]


def _settings(done: Iterable[ObjectChange]) -> list[ObjectChange]:
    """A value belongs to who set it, until it is replaced; putting back what stood before is no setting of its own."""
    standing: list[ObjectChange] = []
    for change in done:
        if change.verb != Verb.SET:
            continue
        replaced = [other for other in standing if _follows(other, change)]
        standing = [other for other in standing if other not in replaced]
        if not any(other.attributes[0].before == change.attributes[0].after for other in replaced):
            standing.append(change)
    return [change for change in standing if _is_of_a_rule(change)]


def _follows(earlier: ObjectChange, later: ObjectChange) -> bool:
    one, other = earlier.attributes[0], later.attributes[0]
    return (earlier.object.dn, one.name, one.after) == (later.object.dn, other.name, other.before)


def _is_of_a_rule(change: Change) -> bool:
    return change.rule not in _OURS and not change.leaves
