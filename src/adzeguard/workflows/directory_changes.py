"""Makes one change in the directory: read again, compare with what was expected, write, read back."""

from dataclasses import dataclass

from adzeguard.core.change.changes import Change, Expected, MemberChange, ObjectChange, Verb, expected_primary
from adzeguard.core.errors import ChangeRefusedError, DirectoryError, InputError
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.directory.port import DirectoryDriver, Entry, Modification, Operation
from adzeguard.workflows.object_changes import ObjectChanger, same_entry
from adzeguard.workflows.outcome import Intent, Outcome, Status


@dataclass(frozen=True, slots=True)
class DirectoryChanger:
    """Makes changes in one directory."""

    directory: DirectoryDriver

    def make(self, change: Change, intent: Intent) -> Outcome:
        """Make one change. `intent` is called right before the first write, and not at all when nothing is written."""
        try:
            if isinstance(change, ObjectChange):
                return ObjectChanger(self.directory).make(change, intent)
            if change.verb == Verb.SET_PRIMARY_GROUP:
                return self._primary(change, intent)
            return self._member(change, intent)
        except (ChangeRefusedError, InputError) as error:
            return Outcome(change, Status.REFUSED, error.message)
        except DirectoryError as error:
            return Outcome(change, Status.UNREACHABLE, error.message)

    def _member(self, change: MemberChange, intent: Intent) -> Outcome:
        group, member = (
            same_entry(self.directory, change.group),
            same_entry(self.directory, change.member),
        )
        if group is None or (member is None and change.verb == Verb.ADD_MEMBER):
            gone = change.group.name if group is None else change.member.name
            return Outcome(change, Status.CONFLICT, f"{gone} is not where the proposal saw it")
        name = member.dn if member else change.member.dn
        standing = Expected.PRESENT if _is_primary(group, member) else _state(group, name)
        if standing != change.expects:
            return Outcome(change, Status.CONFLICT, f"{change.member.name} is {standing} already", already=True)
        if change.verb == Verb.REMOVE_MEMBER and _is_primary(group, member):
            return Outcome(change, Status.CONFLICT, f"{change.group.name} is the primary group of {change.member.name}")
        intent(change)
        operation: Operation = "add" if change.verb == Verb.ADD_MEMBER else "delete"
        value = name.encode("utf-8", "surrogateescape")
        self.directory.modify(group.dn, [Modification(operation, "member", (value,))])
        after = same_entry(self.directory, change.group)
        wanted = Expected.PRESENT if change.verb == Verb.ADD_MEMBER else Expected.ABSENT
        if after is not None and _state(after, name) == wanted:
            return Outcome(change, Status.VERIFIED)
        return Outcome(change, Status.DIFFERS, "written, but read back otherwise")

    def _primary(self, change: MemberChange, intent: Intent) -> Outcome:
        account = same_entry(self.directory, change.member)
        if account is None:
            return Outcome(change, Status.CONFLICT, f"{change.member.name} is not where the proposal saw it")
        if account.number("primarygroupid") == Sid(change.group.sid).rid:
            return Outcome(change, Status.CONFLICT, f"{change.group.name} is the primary group already", already=True)
        if account.number("primarygroupid") != expected_primary(change).rid:
            return Outcome(change, Status.CONFLICT, f"{change.member.name} has another primary group by now")
        intent(change)
        rid = Sid(change.group.sid).rid
        self.directory.modify(account.dn, [Modification("replace", "primaryGroupID", (str(rid).encode(),))])
        after = same_entry(self.directory, change.member)
        if after is not None and after.number("primarygroupid") == rid:
            return Outcome(change, Status.VERIFIED)
        return Outcome(change, Status.DIFFERS, "written, but read back otherwise")


def _state(group: Entry, member_dn: str) -> Expected:
    wanted = fold_dn(member_dn)
    return Expected.PRESENT if any(fold_dn(name) == wanted for name in listed_members(group)) else Expected.ABSENT


def _is_primary(group: Entry, member: Entry | None) -> bool:
    """Tell whether the group is the primary one of an account, which it then holds without listing it."""
    packed = group.first("objectsid")
    rid = member.number("primarygroupid") if member else 0
    return packed is not None and rid != 0 and Sid.from_bytes(packed).rid == rid


def listed_members(group: Entry) -> list[str]:
    """Return the distinguished names that a group lists."""
    return [value.decode("utf-8", "surrogateescape") for value in group.attributes.get("member", ())]
