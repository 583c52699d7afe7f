"""The deny logon rights over the wire, against a peer that keeps account rights as [MS-LSAD] 3.1.4.5 says."""

from collections.abc import Iterator
from typing import Any

import pytest
from impacket.dcerpc.v5 import lsad, transport
from impacket.dcerpc.v5.rpcrt import DCERPCServer
from impacket.nt_errors import (
    STATUS_ACCESS_DENIED,
    STATUS_NO_MORE_ENTRIES,
    STATUS_NO_SUCH_PRIVILEGE,
    STATUS_OBJECT_NAME_NOT_FOUND,
)

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.logon import WAYS
from adzeguard.core.identity import Sid
from adzeguard.hosts.remote_sam.logon_rights import RIGHTS, LogonRights

ORLA, CREW, LOCAL = Sid("S-1-5-21-1-2-3-1107"), Sid("S-1-5-21-1-2-3-513"), Sid("S-1-5-21-7-7-7-501")


class Peer(DCERPCServer):
    """Keeps which account holds which right. `known` are the rights that it knows; `refuses` makes it unwilling."""

    def __init__(self, known: set[str]) -> None:
        super().__init__()
        self.daemon = True
        self.listening = self._sock
        self.known = known
        self.refuses = False
        self.rights: dict[str, set[str]] = {}
        calls = {
            lsad.LsarClose.opnum: self.closed,
            lsad.LsarOpenPolicy2.opnum: self.opened,
            lsad.LsarEnumerateAccountsWithUserRight.opnum: self.holders,
            lsad.LsarAddAccountRights.opnum: self.added,
            lsad.LsarRemoveAccountRights.opnum: self.removed,
        }
        self.addCallbacks(("12345778-1234-ABCD-EF00-0123456789AB", "0.0"), "\\PIPE\\lsarpc", calls)

    def opened(self, _data: bytes) -> Any:
        answer = lsad.LsarOpenPolicy2Response()
        answer["PolicyHandle"] = b"\0" * 19 + b"\1"
        answer["ErrorCode"] = 0
        return answer

    def closed(self, _data: bytes) -> Any:
        answer = lsad.LsarCloseResponse()
        answer["ObjectHandle"] = b"\0" * 20
        answer["ErrorCode"] = 0
        return answer

    def holders(self, data: bytes) -> Any:
        """3.1.4.5.9: an unknown right is told, and a right that nobody holds is the end of the list."""
        asked = lsad.LsarEnumerateAccountsWithUserRight(data)["UserRight"]
        held = sorted(sid for sid, rights in self.rights.items() if asked in rights)
        answer = lsad.LsarEnumerateAccountsWithUserRightResponse()
        answer["EnumerationBuffer"]["EntriesRead"] = len(held)
        for sid in held:
            one = lsad.LSAPR_ACCOUNT_INFORMATION()
            one["Sid"].fromCanonical(sid)
            answer["EnumerationBuffer"]["Information"].append(one)
        nobody = 0 if held else STATUS_NO_MORE_ENTRIES
        answer["ErrorCode"] = nobody if asked in self.known else STATUS_NO_SUCH_PRIVILEGE
        return answer

    def added(self, data: bytes) -> Any:
        """3.1.4.5.11: the account is made where it is not there yet."""
        request, answer = lsad.LsarAddAccountRights(data), lsad.LsarAddAccountRightsResponse()
        given = {right["Data"] for right in request["UserRights"]["UserRights"]}
        answer["ErrorCode"] = STATUS_ACCESS_DENIED if self.refuses else 0
        if not given <= self.known:
            answer["ErrorCode"] = STATUS_NO_SUCH_PRIVILEGE
        elif not self.refuses:
            self.rights.setdefault(request["AccountSid"].formatCanonical(), set()).update(given)
        return answer

    def removed(self, data: bytes) -> Any:
        """3.1.4.5.12: an account that is not there is told; one without rights is taken away."""
        request, answer = lsad.LsarRemoveAccountRights(data), lsad.LsarRemoveAccountRightsResponse()
        sid = request["AccountSid"].formatCanonical()
        answer["ErrorCode"] = 0 if sid in self.rights else STATUS_OBJECT_NAME_NOT_FOUND
        if sid in self.rights:
            self.rights[sid] -= {right["Data"] for right in request["UserRights"]["UserRights"]}
            if not self.rights[sid]:
                del self.rights[sid]
        return answer


@pytest.fixture
def peer() -> Peer:
    """A peer that knows every right that denies logon."""
    made = Peer(set(RIGHTS.values()))
    made.listening.listen(10)  # the thread would do it too, perhaps after whoever connects
    made.start()
    return made


@pytest.fixture
def rights(peer: Peer) -> Iterator[LogonRights]:
    """The driver's own reader and writer, connected to the peer."""
    service = transport.DCERPCTransportFactory(f"ncacn_ip_tcp:127.0.0.1[{peer.getListenPort()}]").get_dce_rpc()
    service.connect()
    service.bind(lsad.MSRPC_UUID_LSAD)
    opened = LogonRights(service)
    yield opened
    opened.close()
    service.disconnect()


def test_who_is_refused_is_read_and_changed_way_by_way(peer: Peer, rights: LogonRights) -> None:
    """Each way is a right of its own; others that an account holds are left as they are."""
    peer.rights[ORLA] = {"SeDenyInteractiveLogonRight", "SeDenyBatchLogonRight"}
    before = rights.read()
    assert before is not None
    assert {way: set(sids) for way, sids in before.refused.items() if sids} == {"console": {ORLA}, "batch": {ORLA}}
    assert before.ways == WAYS
    for way, sid in (("remote", CREW), ("console", CREW), ("network", LOCAL)):
        rights.change(way, sid, refuse=True)
    rights.change("console", ORLA, refuse=False)
    after = rights.read()
    assert after is not None
    assert {way: set(sids) for way, sids in after.refused.items() if sids} == {
        "console": {CREW},
        "remote": {CREW},
        "network": {LOCAL},
        "batch": {ORLA},
    }
    assert peer.rights[ORLA] == {"SeDenyBatchLogonRight"}


def test_a_right_that_a_host_does_not_know_is_a_way_that_it_cannot_tell_apart(peer: Peer, rights: LogonRights) -> None:
    """It is no way of that host; a host that knows none of them has no refusals at all."""
    peer.known = {"SeDenyNetworkLogonRight"}
    read = rights.read()
    assert read is not None
    assert read.ways == ("network",)
    peer.known = set()
    assert rights.read() is None


def test_a_no_carries_the_reason_of_the_host(peer: Peer, rights: LogonRights) -> None:
    """Refused, unknown and absent are told as the host says them, and nothing is changed."""
    peer.refuses = True
    with pytest.raises(HostRefusedError, match="Access Denied"):
        rights.change("console", ORLA, refuse=True)
    with pytest.raises(HostRefusedError, match="object name is not found"):
        rights.change("console", ORLA, refuse=False)
    assert peer.rights == {}
