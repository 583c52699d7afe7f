"""The deny logon rights of a host, and one of its privileges, over MS-LSAD (3.1.1.2 names them)."""

from typing import Any, Final

from impacket.dcerpc.v5 import lsad
from impacket.dcerpc.v5.dtypes import MAXIMUM_ALLOWED
from impacket.dcerpc.v5.rpcrt import DCERPCException
from impacket.nt_errors import STATUS_NO_MORE_ENTRIES, STATUS_NO_SUCH_PRIVILEGE, STATUS_OBJECT_NAME_NOT_FOUND

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.logon import LogonRules
from adzeguard.core.identity import Sid
from adzeguard.hosts.remote_sam.pipes import status_of

RIGHTS: Final = {
    "console": "SeDenyInteractiveLogonRight",
    "remote": "SeDenyRemoteInteractiveLogonRight",
    "network": "SeDenyNetworkLogonRight",
    "service": "SeDenyServiceLogonRight",
    "batch": "SeDenyBatchLogonRight",
}
_LETTING_ACT: Final = "SeEnableDelegationPrivilege"
_NOBODY: Final = (STATUS_NO_MORE_ENTRIES, STATUS_OBJECT_NAME_NOT_FOUND)


class LogonRights:
    """The policy of one host, opened."""

    def __init__(self, service: Any) -> None:
        self._service = service
        self._policy = lsad.hLsarOpenPolicy2(service, MAXIMUM_ALLOWED)["PolicyHandle"]

    def read(self) -> LogonRules | None:
        """Return who is refused by each way that the host knows; None if it knows none of these rights."""
        refused = {way: sids for way, right in RIGHTS.items() if (sids := self._holders(right)) is not None}
        return LogonRules(refused) if refused else None

    def letting_act(self) -> frozenset[Sid] | None:
        """Return who may let accounts act in the name of others; None where the host knows no such privilege."""
        return self._holders(_LETTING_ACT)

    def change(self, way: str, sid: Sid, *, refuse: bool) -> None:
        """Give somebody the right that denies, or take it away. `HostRefusedError` carries the host's no."""
        try:
            if refuse:
                lsad.hLsarAddAccountRights(self._service, self._policy, str(sid), [RIGHTS[way]])
            else:
                lsad.hLsarRemoveAccountRights(self._service, self._policy, str(sid), [RIGHTS[way]])
        except DCERPCException as error:
            raise HostRefusedError(f"the host refuses: {status_of(error)}") from error

    def _holders(self, right: str) -> frozenset[Sid] | None:
        try:
            answer = lsad.hLsarEnumerateAccountsWithUserRight(self._service, self._policy, right)
        except DCERPCException as error:
            # Both codes say that nobody holds the right.
            if error.get_error_code() in _NOBODY:
                return frozenset()
            if error.get_error_code() == STATUS_NO_SUCH_PRIVILEGE:
                return None  # a Samba member host knows none of them
            raise
        found = answer["EnumerationBuffer"]["Information"]
        return frozenset(Sid(one["Sid"].formatCanonical()) for one in found)

    def close(self) -> None:
        """Let go of the policy."""
        lsad.hLsarClose(self._service, self._policy)
