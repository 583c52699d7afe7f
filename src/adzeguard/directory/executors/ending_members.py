"""Memberships that the directory ends by itself."""

from datetime import datetime, timedelta
from typing import Final

from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.kinds.set_member_end import SetMemberEnd
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.directory.executors.members import group_without, lists
from adzeguard.directory.executors.same_entry import OTHERWISE, same_account, same_entry
from adzeguard.directory.port import DirectoryDriver, EndsLinks

NO_ENDS: Final = "this directory ends no link by itself"
_TOLERANCE: Final = timedelta(seconds=5)


def add_ending_member(directory: DirectoryDriver, change: AddEndingMember, intent: Intent) -> Outcome:
    """List a member in a group until a time, where the directory keeps that itself."""
    if not isinstance(directory, EndsLinks):
        return Outcome(change, Status.UNSUPPORTED, NO_ENDS)
    found = group_without(directory, change)
    if isinstance(found, Outcome):
        return found
    group, member = found
    intent(change)
    directory.link_until(group.dn, "member", member.dn, change.ends, anew=False)
    return _end_read_back(directory, change, group.dn, member.dn)


def set_member_end(directory: DirectoryDriver, change: SetMemberEnd, intent: Intent) -> Outcome:
    """Let a listed member's place end at another time, or at none."""
    if not isinstance(directory, EndsLinks):
        return Outcome(change, Status.UNSUPPORTED, NO_ENDS)
    group, member = same_entry(directory, change.group), same_account(directory, change.member)
    if group is None or member is None or not lists(group, member.dn):
        return Outcome(change, Status.CONFLICT, f"{change.member.name} is not in {change.group.name} any more")
    if _is_same(directory.link_end(group.dn, "member", member.dn), change.ends):
        return Outcome(change, Status.CONFLICT, "it ends then already", already=True)
    intent(change)
    directory.link_until(group.dn, "member", member.dn, change.ends, anew=True)
    return _end_read_back(directory, change, group.dn, member.dn)


def _end_read_back(directory: EndsLinks, change: AddEndingMember | SetMemberEnd, group: str, member: str) -> Outcome:
    if _is_same(directory.link_end(group, "member", member), change.ends):
        return Outcome(change, Status.VERIFIED)
    return Outcome(change, Status.DIFFERS, OTHERWISE)


def _is_same(one: datetime | None, other: datetime | None) -> bool:
    """Tell whether two ends are one: a directory counts seconds down, and answers when it has the time."""
    if one is None or other is None:
        return one is other
    return abs(one - other) <= _TOLERANCE
