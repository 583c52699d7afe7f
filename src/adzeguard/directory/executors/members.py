"""Memberships of groups in the directory."""

from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.kinds.set_primary_group import SetPrimaryGroup
from adzeguard.core.change.outcome import Intent, Outcome, Status
from adzeguard.core.identity import Sid, fold_dn, sid_of_dn
from adzeguard.directory.executors.same_entry import OTHERWISE, same_account, same_entry
from adzeguard.directory.port import DirectoryDriver, Entry, Modification


def add_member(directory: DirectoryDriver, change: AddMember, intent: Intent) -> Outcome:
    """List a member in a group that does not hold it yet."""
    found = group_without(directory, change)
    if isinstance(found, Outcome):
        return found
    group, member = found
    intent(change)
    directory.modify(group.dn, [Modification("add", "member", (_value(member.dn),))])
    return _read_back(directory, change, _listed_as(directory, change, member), listed=True)


def _listed_as(directory: DirectoryDriver, change: AddMember, member: Entry) -> str:
    """Return the name under which a group lists a member: of another domain's it is that of the object just made."""
    if not sid_of_dn(member.dn):
        return member.dn
    made = directory.read_by_sid(Sid(change.member.sid))
    return made.dn if made is not None else member.dn


def group_without(directory: DirectoryDriver, change: AddMember) -> tuple[Entry, Entry] | Outcome:
    """Return the group and whom it does not hold yet, as they stand now; else what became of the change."""
    group, member = same_account(directory, change.group), same_account(directory, change.member)
    if member is None and sid_of_dn(change.member.dn):
        # The directory makes an object for somebody of another domain with the first group ([MS-ADTS] 3.1.1.5.3.1.2).
        member = Entry(change.member.dn, {})
    if group is None or member is None:
        gone = change.group.name if group is None else change.member.name
        return Outcome(change, Status.CONFLICT, f"{gone} is not where the proposal saw it")
    if is_primary(group, member) or lists(group, member.dn):
        return Outcome(change, Status.CONFLICT, f"{change.member.name} is present already", already=True)
    return group, member


def remove_member(directory: DirectoryDriver, change: RemoveMember, intent: Intent) -> Outcome:
    """Take a listed member out of a group. One that is gone itself is still listed by its name."""
    group, member = same_account(directory, change.group), same_account(directory, change.member)
    if group is None:
        return Outcome(change, Status.CONFLICT, f"{change.group.name} is not where the proposal saw it")
    if member is None and directory.read(change.member.dn) is not None:
        return Outcome(change, Status.CONFLICT, f"{change.member.dn} is somebody else by now")
    name = member.dn if member else change.member.dn
    if is_primary(group, member):
        return Outcome(change, Status.CONFLICT, f"{change.group.name} is the primary group of {change.member.name}")
    if not lists(group, name):
        return Outcome(change, Status.CONFLICT, f"{change.member.name} is absent already", already=True)
    intent(change)
    directory.modify(group.dn, [Modification("delete", "member", (_value(name),))])
    return _read_back(directory, change, name, listed=False)


def set_primary_group(directory: DirectoryDriver, change: SetPrimaryGroup, intent: Intent) -> Outcome:
    """Give an account another primary group, where it still has the one that is expected."""
    account, rid = same_entry(directory, change.member), Sid(change.group.sid).rid
    if account is None:
        return Outcome(change, Status.CONFLICT, f"{change.member.name} is not where the proposal saw it")
    if account.number("primarygroupid") == rid:
        return Outcome(change, Status.CONFLICT, f"{change.group.name} is the primary group already", already=True)
    if account.number("primarygroupid") != change.expected.rid:
        return Outcome(change, Status.CONFLICT, f"{change.member.name} has another primary group by now")
    intent(change)
    directory.modify(account.dn, [Modification("replace", "primaryGroupID", (str(rid).encode(),))])
    after = same_entry(directory, change.member)
    if after is not None and after.number("primarygroupid") == rid:
        return Outcome(change, Status.VERIFIED)
    return Outcome(change, Status.DIFFERS, OTHERWISE)


def _read_back(directory: DirectoryDriver, change: MembershipChange, member_dn: str, *, listed: bool) -> Outcome:
    after = same_account(directory, change.group)
    if after is not None and lists(after, member_dn) == listed:
        return Outcome(change, Status.VERIFIED)
    return Outcome(change, Status.DIFFERS, OTHERWISE)


def lists(group: Entry, member_dn: str) -> bool:
    """Tell whether a group lists a member."""
    wanted = fold_dn(member_dn)
    names = (value.decode("utf-8", "surrogateescape") for value in group.attributes.get("member", ()))
    return any(fold_dn(name) == wanted for name in names)


def is_primary(group: Entry, member: Entry | None) -> bool:
    """Tell whether the group is the primary one of an account, which it then holds without listing it."""
    packed = group.first("objectsid")
    rid = member.number("primarygroupid") if member else 0
    return packed is not None and rid != 0 and Sid.from_bytes(packed).rid == rid


def _value(dn: str) -> bytes:
    return dn.encode("utf-8", "surrogateescape")
