"""The accounts and local groups of a host, over MS-SAMR. All is named by SID; names are for people."""

from collections.abc import Iterator
from typing import Any, Final

from impacket.dcerpc.v5 import samr
from impacket.dcerpc.v5.dtypes import NULL, RPC_SID
from impacket.dcerpc.v5.rpcrt import DCERPCException

from adzeguard.core.errors import HostFileError, HostRefusedError
from adzeguard.core.estate.hosts import LocalAccount, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import BUILTIN_AUTHORITY
from adzeguard.hosts.remote_sam.pipes import status_of

_ACCESS: Final = samr.MAXIMUM_ALLOWED
_MORE: Final = 0x105  # STATUS_MORE_ENTRIES, [MS-ERREF] 2.3
_MOST: Final = 100_000
_MOST_ANSWERS: Final = 1000
"""Of one list; an answer holds some hundred names."""
_DISABLED: Final = 0x1  # USER_ACCOUNT_DISABLED, [MS-SAMR] 2.2.1.12
_BUILTIN: Final = "Builtin"


class AccountDatabase:
    """One host's database, opened for reading and for single changes.

    Handles are not closed one by one: a host lets go of all of them with the connection ([MS-SAMR] 3.1.1.10), and each
    closing is a round trip of 10 ms, a sixth of a whole reading.
    """

    def __init__(self, service: Any, server: str) -> None:
        self._service = service
        self._handle = samr.hSamrConnect(service, f"\\\\{server}\x00")["ServerHandle"]
        names = samr.hSamrEnumerateDomainsInSamServer(service, self._handle)["Buffer"]["Buffer"]
        self._domains: dict[Sid, Any] = {}
        own: list[Sid] = []
        for entry in names:
            name = str(entry["Name"])
            packed = samr.hSamrLookupDomainInSamServer(service, self._handle, name)["DomainId"]
            sid = Sid(packed.formatCanonical())
            self._domains[sid] = samr.hSamrOpenDomain(service, self._handle, _ACCESS, packed)["DomainHandle"]
            # Every host has two domains here: Builtin, the same everywhere, and its own ([MS-SAMR] 3.1.4.3.1).
            if name.casefold() != _BUILTIN.casefold():
                own.append(sid)
        if len(own) != 1 or own[0] == BUILTIN_AUTHORITY or len(self._domains) != len(names):
            raise HostFileError(f"the host contradicts itself: it tells of {len(own)} account databases of its own")
        self.machine_sid = own[0]

    def groups(self) -> Iterator[LocalGroup]:
        """Yield every local group with its direct members. `MemberCount` lies on some hosts: the SIDs are counted."""
        for authority, domain in self._domains.items():
            for name, rid in self._listed(samr.hSamrEnumerateAliasesInDomain, domain):
                alias = samr.hSamrOpenAlias(self._service, domain, _ACCESS, rid)["AliasHandle"]
                told = samr.hSamrGetMembersInAlias(self._service, alias)["Members"]
                members = () if told["Sids"] == NULL else told["Sids"]
                # "Five members", and none of them: taken for an empty group, its members would be put in again.
                if told["Count"] != len(members):
                    raise HostFileError(
                        f"the host contradicts itself: {name} has {told['Count']} members, and it names {len(members)}"
                    )
                sids = frozenset(Sid(member["SidPointer"].formatCanonical()) for member in members)
                yield LocalGroup(name, Sid(f"{authority}-{rid}"), sids)

    def accounts(self) -> Iterator[LocalAccount]:
        """Yield the host's own accounts, and whether each is enabled."""
        domain = self._domains[self.machine_sid]
        for name, rid in self._listed(samr.hSamrEnumerateUsersInDomain, domain):
            user = samr.hSamrOpenUser(self._service, domain, _ACCESS, rid)["UserHandle"]
            about = samr.hSamrQueryInformationUser2(
                self._service, user, samr.USER_INFORMATION_CLASS.UserControlInformation
            )
            control = about["Buffer"]["Control"]["UserAccountControl"]
            yield LocalAccount(name, Sid(f"{self.machine_sid}-{rid}"), not control & _DISABLED)

    def change_member(self, group: Sid, member: Sid, *, add: bool) -> None:
        """Put a member into a local group by its SID, or take it out. `HostRefusedError` carries the host's no."""
        domain = self._domains.get(Sid(group.authority))
        if domain is None:
            raise HostRefusedError(f"the host has no local group {group}")
        packed = RPC_SID()
        packed.fromCanonical(str(member))
        alias = samr.hSamrOpenAlias(self._service, domain, _ACCESS, int(group.rpartition("-")[2]))["AliasHandle"]
        change = samr.hSamrAddMemberToAlias if add else samr.hSamrRemoveMemberFromAlias
        try:
            change(self._service, alias, packed)
        except DCERPCException as error:
            raise HostRefusedError(f"the host refuses: {status_of(error)}") from error

    def enable(self, account: Sid, *, on: bool) -> None:
        """Enable one of the host's own accounts or disable it, leaving its other marks as they are."""
        if account.authority != self.machine_sid:
            raise HostRefusedError(f"the host has no account {account}")
        domain = self._domains[self.machine_sid]
        user = samr.hSamrOpenUser(self._service, domain, _ACCESS, account.rid or 0)["UserHandle"]
        try:
            about = samr.hSamrQueryInformationUser2(
                self._service, user, samr.USER_INFORMATION_CLASS.UserControlInformation
            )
            control = about["Buffer"]["Control"]["UserAccountControl"]
            buffer = samr.SAMPR_USER_INFO_BUFFER()
            buffer["tag"] = samr.USER_INFORMATION_CLASS.UserControlInformation
            # The call sets the whole word: the other bits are written back as they were read.
            buffer["Control"]["UserAccountControl"] = control & ~_DISABLED if on else control | _DISABLED
            samr.hSamrSetInformationUser2(self._service, user, buffer)
        except DCERPCException as error:
            raise HostRefusedError(f"the host refuses: {status_of(error)}") from error

    def make_group(self, name: str) -> Sid:
        """Make a local group of the host's own, and return its SID."""
        domain = self._domains[self.machine_sid]
        try:
            made = samr.hSamrCreateAliasInDomain(self._service, domain, name)
        except DCERPCException as error:
            raise HostRefusedError(f"the host refuses: {status_of(error)}") from error
        return Sid(f"{self.machine_sid}-{made['RelativeId']}")

    def delete_group(self, name: str) -> None:
        """Delete a local group of the host's own."""
        domain = self._domains[self.machine_sid]
        listed = dict(self._listed(samr.hSamrEnumerateAliasesInDomain, domain))
        rid = next((rid for known, rid in listed.items() if known.casefold() == name.casefold()), None)
        if rid is None:
            raise HostRefusedError(f"the host has no local group {name}")
        alias = samr.hSamrOpenAlias(self._service, domain, _ACCESS, rid)["AliasHandle"]
        try:
            samr.hSamrDeleteAlias(self._service, alias)
        except DCERPCException as error:
            raise HostRefusedError(f"the host refuses: {status_of(error)}") from error

    def _listed(self, enumerate_: Any, domain: Any) -> Iterator[tuple[str, int]]:
        context, known = 0, set[int]()
        for _ in range(_MOST_ANSWERS):
            try:
                answer = enumerate_(self._service, domain, enumerationContext=context)
                more = answer["ErrorCode"] == _MORE
            # impacket raises for every code but 0, also for the one that says that more entries follow.
            except DCERPCException as error:
                if error.get_error_code() != _MORE:
                    raise
                answer, more = error.get_packet(), True
            entries = answer["Buffer"]["Buffer"]
            for entry in () if entries == NULL else entries:
                name, rid = str(entry["Name"]), int(entry["RelativeId"])
                if rid in known:
                    raise HostFileError(f"the host contradicts itself: it tells of {rid} ({name}) twice")
                known.add(rid)
                yield name, rid
            before, context = context, answer["EnumerationContext"]
            if not more:
                return
            # A host that answers with the same place for ever, or without end, must not hold us; and a list that is
            # cut is none.
            if context == before or len(known) > _MOST:
                break
        raise HostFileError("the host does not come to the end of its list")
