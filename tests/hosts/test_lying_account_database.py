"""Account databases of hosts that lie over the wire: what contradicts itself is no answer, and none holds us."""

import struct
from collections.abc import Callable, Iterator
from contextlib import closing
from typing import Any

import pytest
from impacket.dcerpc.v5 import samr, transport
from impacket.dcerpc.v5.rpcrt import DCERPCServer

from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.hosts import LocalGroup
from adzeguard.hosts.guarded_session import CarefulSession
from adzeguard.hosts.remote_sam import account_database
from adzeguard.hosts.remote_sam.account_database import AccountDatabase

OWN, BUILTIN = "S-1-5-21-7-7-7", "S-1-5-32"
MORE = 0x105


class Peer(DCERPCServer):
    """A host with one account and two groups, as [MS-SAMR] has them. A lie takes the place of what a call answers."""

    def __init__(self, **lies: Callable[[int], Any]) -> None:
        super().__init__()
        self.daemon = True
        self.lies = lies
        self.asked = 0
        self.domains = {"Builtin": BUILTIN, "QUAY": OWN}
        honest = {
            samr.SamrConnect: self.connected,
            samr.SamrEnumerateDomainsInSamServer: lambda _: listed("domains", list(enumerate(self.domains))),
            samr.SamrLookupDomainInSamServer: self.looked_up,
            samr.SamrOpenDomain: self.opened_domain,
            samr.SamrEnumerateAliasesInDomain: self.groups,
            samr.SamrOpenAlias: lambda _: handle(samr.SamrOpenAliasResponse(), "AliasHandle"),
            samr.SamrGetMembersInAlias: lambda _: members(1, f"{OWN}-1000"),
            samr.SamrEnumerateUsersInDomain: lambda _: listed("users", [(1000, "cleo")]),
            samr.SamrOpenUser: lambda _: handle(samr.SamrOpenUserResponse(), "UserHandle"),
            samr.SamrQueryInformationUser2: self.about,
        }
        calls = {call.opnum: self.answering(call.__name__.removeprefix("Samr"), how) for call, how in honest.items()}
        self.addCallbacks(("12345778-1234-ABCD-EF00-0123456789AC", "1.0"), "\\PIPE\\samr", calls)

    def answering(self, call: str, honest: Callable[[bytes], Any]) -> Callable[[bytes], Any]:
        def answer(data: bytes) -> Any:
            self.asked += 1
            return self.lies[call](self.asked) if call in self.lies else honest(data)

        return answer

    def connected(self, _data: bytes) -> Any:
        return handle(samr.SamrConnectResponse(), "ServerHandle")

    def looked_up(self, data: bytes) -> Any:
        answer = samr.SamrLookupDomainInSamServerResponse()
        answer["DomainId"].fromCanonical(self.domains[samr.SamrLookupDomainInSamServer(data)["Name"]])
        answer["ErrorCode"] = 0
        return answer

    def opened_domain(self, data: bytes) -> Any:
        sid = samr.SamrOpenDomain(data)["DomainId"].formatCanonical()
        return handle(samr.SamrOpenDomainResponse(), "DomainHandle", sid == OWN)

    def groups(self, data: bytes) -> Any:
        own = samr.SamrEnumerateAliasesInDomain(data)["DomainHandle"][-4:] == struct.pack("<I", 1)
        return listed("aliases", [(1001, "Fitters")] if own else [(544, "Administrators")])

    def about(self, _data: bytes) -> Any:
        answer = samr.SamrQueryInformationUser2Response()
        answer["Buffer"]["tag"] = samr.USER_INFORMATION_CLASS.UserControlInformation
        answer["Buffer"]["Control"]["UserAccountControl"] = 0x10
        answer["ErrorCode"] = 0
        return answer


def handle(answer: Any, name: str, number: int = 0) -> Any:
    """An answer that is a handle."""
    answer[name] = b"\0" * 16 + struct.pack("<I", number)
    answer["ErrorCode"] = 0
    return answer


def listed(what: str, entries: list[tuple[int, str]], *, code: int = 0, context: int = 0, count: int = -1) -> Any:
    """A list of numbers and names."""
    answer = {
        "domains": samr.SamrEnumerateDomainsInSamServerResponse,
        "aliases": samr.SamrEnumerateAliasesInDomainResponse,
        "users": samr.SamrEnumerateUsersInDomainResponse,
    }[what]()
    answer["EnumerationContext"] = context
    answer["Buffer"]["EntriesRead"] = answer["CountReturned"] = len(entries) if count < 0 else count
    for number, name in entries:
        one = samr.SAMPR_RID_ENUMERATION()
        one["RelativeId"], one["Name"] = number, name
        answer["Buffer"]["Buffer"].append(one)
    answer["ErrorCode"] = code
    return answer


def members(count: int, *sids: str) -> bytes:
    """The members of a group, and how many it says that they are, as [MS-SAMR] 2.2.7.5 has them on the wire."""
    packed = struct.pack("<II", count, 1 if sids else 0)
    if sids:
        packed += struct.pack(f"<{1 + len(sids)}I", len(sids), *range(2, 2 + len(sids)))
    for sid in sids:
        parts = [int(part) for part in sid.split("-")[3:]]
        packed += struct.pack(f"<IBB6B{len(parts)}I", len(parts), 1, len(parts), 0, 0, 0, 0, 0, 5, *parts)
    return packed + struct.pack("<I", 0)


LIES: dict[str, dict[str, Callable[[int], Any]]] = {
    "five members, and none of them": {"GetMembersInAlias": lambda _: members(5)},
    "one member, and three of them": {
        "GetMembersInAlias": lambda _: members(1, f"{OWN}-1000", f"{OWN}-1001", f"{OWN}-1002")
    },
    "two groups of one number": {
        "EnumerateAliasesInDomain": lambda _: listed("aliases", [(544, "Administrators"), (544, "Administrators")])
    },
    "two accounts of one number": {
        "EnumerateUsersInDomain": lambda _: listed("users", [(1000, "cleo"), (1000, "root")])
    },
    "no database of its own": {"EnumerateDomainsInSamServer": lambda _: listed("domains", [(0, "Builtin")])},
    "two databases of its own": {
        "EnumerateDomainsInSamServer": lambda _: listed("domains", [(0, "Builtin"), (1, "QUAY"), (2, "quay")])
    },
    "a list that begins again for ever": {
        "EnumerateAliasesInDomain": lambda _: listed("aliases", [(544, "Administrators")], code=MORE)
    },
    "a list without end": {
        "EnumerateUsersInDomain": lambda n: listed("users", [(n, f"u{n}")], code=MORE, context=n % 40)
    },
    "an empty list without end": {"EnumerateUsersInDomain": lambda _: listed("users", [], code=MORE)},
    "a list that is cut": {"EnumerateDomainsInSamServer": lambda _: b"\0" * 7},
    "bytes that mean nothing": {"GetMembersInAlias": lambda _: b"\xff" * 64},
    "an answer that is none": {"OpenDomain": lambda _: b"\0"},
}


@pytest.fixture
def read() -> Iterator[Callable[[dict[str, Callable[[int], Any]]], list[LocalGroup]]]:
    """What the driver reads of a host that lies so."""
    services: list[Any] = []

    def groups(lies: dict[str, Callable[[int], Any]]) -> list[LocalGroup]:
        peer = Peer(**lies)
        peer._sock.listen(10)  # the thread would do it too, perhaps after whoever connects
        peer.start()
        service = transport.DCERPCTransportFactory(f"ncacn_ip_tcp:127.0.0.1[{peer.getListenPort()}]").get_dce_rpc()
        service.get_rpc_transport().set_connect_timeout(10)
        service.connect()
        service.bind(samr.MSRPC_UUID_SAMR)
        services.append(service)
        found: list[LocalGroup] = []

        class Session:
            def read(self) -> Any:
                database = AccountDatabase(service, "QUAY")
                found.extend(database.groups())
                list(database.accounts())

        CarefulSession("QUAY", Session()).read()  # type: ignore[arg-type]
        return found

    yield groups
    for service in services:
        with closing(service.get_rpc_transport().get_socket()):
            pass


def test_who_tells_the_truth_is_believed(read) -> None:
    """The groups with their members, which the lies are made of."""
    assert {(g.name, str(g.sid), tuple(g.members)) for g in read({})} == {
        ("Administrators", "S-1-5-32-544", (f"{OWN}-1000",)),
        ("Fitters", f"{OWN}-1001", (f"{OWN}-1000",)),
    }


@pytest.mark.parametrize("lie", LIES)
def test_no_lie_is_believed(read, lie: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each ends in an error of ours: no group is taken for empty, and no other for the one of its number."""
    monkeypatch.setattr(account_database, "_MOST_ANSWERS", 40)
    with pytest.raises(AdzeguardError):
        read(LIES[lie])
