"""A connection that waits so long for each answer, and no longer where somebody stops it."""

from collections.abc import Callable
from time import monotonic
from typing import Any, Final

from smbprotocol.connection import Connection
from smbprotocol.exceptions import SMBException
from smbprotocol.header import NtStatus

from adzeguard.core.errors import ShareError

WAIT: Final = 30
_SLICE: Final = 1.0


class PatientConnection(Connection):  # type: ignore[misc]
    """The library waits for ever for most answers, and for one that is said to come as long as that is said again."""

    asked_to_stop: Callable[[], bool] = staticmethod(lambda: False)

    def receive(
        self,
        request: Any,
        wait: bool = True,
        timeout: int | None = None,
        resolve_symlinks: bool = False,  # noqa: ARG002 - a link may lead to another server
    ) -> Any:
        """Return the answer to a request; `ShareError` where it is not waited for any more."""
        until = monotonic() + (timeout or WAIT)
        while True:
            while not request.response_event.wait(_SLICE):
                if self.asked_to_stop():
                    raise ShareError("it was left, since somebody stopped this")
                if monotonic() > until:
                    raise SMBException(f"it gave no answer within {timeout or WAIT} seconds")
            with request.response_event_lock:
                is_to_come = wait and request.response is not None and _is_pending(request.response)
                if is_to_come:
                    request.response_event.clear()
            if not is_to_come:
                return super().receive(request, wait, 1, resolve_symlinks=False)
            if monotonic() > until:
                raise SMBException(f"it gave no answer within {timeout or WAIT} seconds")


def _is_pending(answer: Any) -> bool:
    return bool(answer["status"].get_value() == NtStatus.STATUS_PENDING)
