"""One host by its account database: what it says of itself, and one change after the other."""

import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, Final, TypeVar

from impacket.dcerpc.v5.rpcrt import DCERPCException

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.logon_refusal import EndRefusal, RefuseLogon
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.change.kinds.own_account import DisableOwnAccount, EnableOwnAccount
from adzeguard.core.change.kinds.own_group import DeleteOwnGroup, MakeOwnGroup
from adzeguard.core.change.kinds.set_notice import SetNotice
from adzeguard.core.drivers import Names
from adzeguard.core.errors import HostError, HostRefusedError
from adzeguard.core.estate.capabilities import LOCAL_GROUPS, OWN_ACCOUNTS
from adzeguard.core.estate.delegation_right import DELEGATION_RIGHT
from adzeguard.core.estate.elevation import ELEVATION
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.logon import LOGON_LIMIT, LOGON_REFUSAL
from adzeguard.core.estate.notice import NOTICE, Notice
from adzeguard.core.estate.seen_on import NETWORK, SESSION, SeenOn
from adzeguard.core.identity import Sid
from adzeguard.hosts.remote_sam.account_database import AccountDatabase
from adzeguard.hosts.remote_sam.logged_on import logged_on, over_the_network
from adzeguard.hosts.remote_sam.logon_rights import LogonRights
from adzeguard.hosts.remote_sam.notice_values import NoticeValues
from adzeguard.hosts.remote_sam.pipes import Pipes, library_errors, status_of

T = TypeVar("T")
NO_ELEVATION: Final = "a host reached by its account database has no such thing as one elevated program"
NO_LIMIT: Final = "its rights say who is refused; who alone may log on is not told from here"


class RemoteSamSession:
    """A host that answers."""

    def __init__(self, pipes: Pipes, name: str, names: Names, *, is_of_directory: bool = False) -> None:
        self._is_of_directory = is_of_directory
        self._pipes = pipes
        self._name = name
        self._names = names

    def read(self) -> HostState:
        """Read local groups, accounts, who is refused logon, the notice, and who is logged on."""
        self._pipes.begin()
        with self._database() as database:
            groups, accounts = tuple(database.groups()), tuple(database.accounts())
            machine = database.machine_sid
        parts: dict[str, Any] = {OWN_ACCOUNTS.name: {}}
        lacks = {ELEVATION.name: NO_ELEVATION}
        self._part(LOGON_REFUSAL.name, lambda: self._of_rights(LogonRights.read), parts, lacks)
        self._part(NOTICE.name, self._notice, parts, lacks)
        if self._is_of_directory:
            self._part(DELEGATION_RIGHT.name, lambda: self._of_rights(LogonRights.letting_act), parts, lacks)
        if LOGON_REFUSAL.name in parts:
            lacks[LOGON_LIMIT] = NO_LIMIT
        known = frozenset({LOCAL_GROUPS.name, *parts})
        return HostState(machine, accounts, groups, known, parts, lacks, seen_on=self._seen_on())

    def _seen_on(self) -> tuple[SeenOn, ...] | None:
        """Return who is logged on; None where the host does not tell: it is read all the same."""
        now = int(time.time())
        in_person = self._told(lambda: logged_on(self._pipes.service("wkssvc"), self._name))
        network = self._told(lambda: over_the_network(self._pipes.service("srvsvc")))
        if in_person is None and network is None:
            return None
        seen = [(name, SESSION, now) for name in in_person or ()]
        seen += [(name, NETWORK, now - since) for name, since in network or () if not self._pipes.is_own(name)]
        last = {(self._names.sid_of(name), how): at for name, how, at in sorted(seen, key=lambda one: one[2])}
        return tuple(sorted(SeenOn(Sid(sid), how, at) for (sid, how), at in last.items() if sid))

    def _told(self, ask: Callable[[], Iterable[T]]) -> list[T] | None:
        try:
            with library_errors(self._name):
                return list(ask())
        # Of another form than was asked for, the library raises what comes: the rest of the host is read all the same.
        except (HostError, LookupError, TypeError, ValueError):
            return None

    def change(self, change: Change) -> None:
        """Make one change. `HostRefusedError` carries the host's own reason for a no."""
        make = _EXECUTORS.get(type(change))
        if make is None:
            raise HostRefusedError(f"a host reached by its account database knows no change of the kind {change.kind}")
        self._pipes.begin()
        with library_errors(self._name):
            make(self, change)

    def _part(self, name: str, read: Callable[[], Any], parts: dict[str, Any], lacks: dict[str, str]) -> None:
        """Read one part. A host that does not offer the service lacks it, and is read all the same."""
        try:
            found = read()
        # A host may have switched its remote registry off, and still has members to be read.
        except DCERPCException as error:
            lacks[name] = f"the host answers {status_of(error)}"
            return
        except HostRefusedError as error:
            lacks[name] = error.message
            return
        if found is None:
            lacks[name] = "the host knows no such rights"
        else:
            parts[name] = found

    def _of_rights(self, read: Callable[[LogonRights], Any]) -> Any:
        rights = LogonRights(self._pipes.service("lsarpc"))
        try:
            return read(rights)
        finally:
            rights.close()

    def _notice(self) -> Any:
        values = NoticeValues(self._pipes.service("winreg"))
        try:
            return values.read()
        finally:
            values.close()

    @contextmanager
    def _database(self) -> Iterator[AccountDatabase]:
        with library_errors(self._name):
            yield AccountDatabase(self._pipes.service("samr"), self._name)

    def change_member(self, change: LocalMembershipChange) -> None:
        """Put somebody into a local group by SID, or take them out."""
        with self._database() as database:
            database.change_member(change.group_sid, change.member_sid, add=isinstance(change, AddLocalMember))

    def change_account(self, change: DisableOwnAccount | EnableOwnAccount) -> None:
        """Disable an account of the host, or enable it again."""
        with self._database() as database:
            database.enable(Sid(change.who.sid), on=isinstance(change, EnableOwnAccount))

    def make_group(self, change: MakeOwnGroup) -> None:
        """Make a group of the host, with its members."""
        with self._database() as database:
            made = database.make_group(change.group)
            for member in change.members:
                database.change_member(made, Sid(member.sid), add=True)

    def delete_group(self, change: DeleteOwnGroup) -> None:
        """Delete a group of the host."""
        with self._database() as database:
            database.delete_group(change.group)

    def change_refusal(self, change: RefuseLogon | EndRefusal) -> None:
        """Refuse somebody logon by a way, or end it."""
        rights = LogonRights(self._pipes.service("lsarpc"))
        try:
            rights.change(change.way, Sid(change.who.sid), refuse=isinstance(change, RefuseLogon))
        finally:
            rights.close()

    def change_notice(self, change: SetNotice) -> None:
        """Show a notice, or none."""
        values = NoticeValues(self._pipes.service("winreg"))
        try:
            values.change(Notice(change.title, change.text))
        finally:
            values.close()


_EXECUTORS: Final[Mapping[type[Change], Callable[[RemoteSamSession, Any], None]]] = {
    AddLocalMember: RemoteSamSession.change_member,
    RemoveLocalMember: RemoteSamSession.change_member,
    RefuseLogon: RemoteSamSession.change_refusal,
    EndRefusal: RemoteSamSession.change_refusal,
    SetNotice: RemoteSamSession.change_notice,
    DisableOwnAccount: RemoteSamSession.change_account,
    EnableOwnAccount: RemoteSamSession.change_account,
    MakeOwnGroup: RemoteSamSession.make_group,
    DeleteOwnGroup: RemoteSamSession.delete_group,
}
