"""The two values by which a host shows a notice before anybody logs on, over MS-RRP."""

from collections.abc import Callable
from functools import partial
from typing import Any, Final

from impacket.dcerpc.v5 import rrp
from impacket.dcerpc.v5.dtypes import MAXIMUM_ALLOWED
from impacket.dcerpc.v5.rpcrt import DCERPCException
from impacket.system_errors import ERROR_FILE_NOT_FOUND

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.notice import Notice
from adzeguard.hosts.remote_sam.pipes import status_of

_KEY: Final = "SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\Policies\\System"
_TITLE: Final = "legalnoticecaption"
_TEXT: Final = "legalnoticetext"


class NoticeValues:
    """The key of one host."""

    def __init__(self, service: Any) -> None:
        self._service = service
        self._machine = rrp.hOpenLocalMachine(service)["phKey"]

    def read(self) -> Notice:
        """Return the notice; none where the key or its values are not there."""
        key = self._opened()
        if key is None:
            return Notice()
        try:
            # The logon screen breaks lines at CR LF; rules and other hosts have LF alone.
            return Notice(self._value(key, _TITLE), self._value(key, _TEXT).replace("\r\n", "\n"))
        finally:
            rrp.hBaseRegCloseKey(self._service, key)

    def change(self, notice: Notice) -> None:
        """Set both values, or take both away. `HostRefusedError` carries the host's no."""
        try:
            key = rrp.hBaseRegCreateKey(self._service, self._machine, _KEY)["phkResult"]
            for name, text in ((_TITLE, notice.title), (_TEXT, notice.text.replace("\n", "\r\n"))):
                if notice:
                    rrp.hBaseRegSetValue(self._service, key, name, rrp.REG_SZ, text)
                else:
                    _unless_missing(partial(rrp.hBaseRegDeleteValue, self._service, key, name))
            rrp.hBaseRegCloseKey(self._service, key)
        except DCERPCException as error:
            raise HostRefusedError(f"the host refuses: {status_of(error)}") from error

    def _opened(self) -> Any:
        opened = _unless_missing(
            lambda: rrp.hBaseRegOpenKey(self._service, self._machine, _KEY, samDesired=MAXIMUM_ALLOWED)
        )
        return opened["phkResult"] if opened is not None else None

    def _value(self, key: Any, name: str) -> str:
        found = _unless_missing(lambda: rrp.hBaseRegQueryValue(self._service, key, name))
        return str(found[1]).rstrip("\0") if found is not None else ""

    def close(self) -> None:
        """Let go of the key."""
        rrp.hBaseRegCloseKey(self._service, self._machine)


def _unless_missing(ask: Callable[[], Any]) -> Any:
    try:
        return ask()
    except DCERPCException as error:
        # The registry says so of a key and of a value alike.
        if error.get_error_code() == ERROR_FILE_NOT_FOUND:
            return None
        raise
