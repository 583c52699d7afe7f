"""What rules have put in and nothing of ours has taken out again: the journal knows which is which."""

from adzeguard.core.change.by_hand import BY_HAND_RULE
from adzeguard.core.change.inverse import UNDO_RULE
from adzeguard.core.change.plan import MemberChange, Verb, members_only
from adzeguard.store.journal import Journal
from adzeguard.workflows.undo import really_done


def standing_additions(journal: Journal) -> list[MemberChange]:
    """Return the additions of rules, less those that were later taken back or made again by hand."""
    last: dict[tuple[str, str, str], MemberChange] = {}
    for change in members_only(really_done(journal.rows())):
        if change.verb != Verb.SET_PRIMARY_GROUP:
            last[change.host or "", change.group.sid, change.member.sid or change.member.dn] = change
    ours = {BY_HAND_RULE, UNDO_RULE}
    return [c for c in last.values() if c.verb == Verb.ADD_MEMBER and c.rule not in ours and not c.leaves]
