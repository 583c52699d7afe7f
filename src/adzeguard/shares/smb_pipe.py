"""A named pipe of a connection, as what remote procedure calls are sent through ([MS-RPCE] 2.1.1.2)."""

from contextlib import suppress
from typing import Any, Final

from impacket.dcerpc.v5.rpcrt import DCERPC_v5
from smbprotocol.exceptions import SMBException
from smbprotocol.file_info import FileAttributes
from smbprotocol.open import (
    CreateDisposition,
    CreateOptions,
    FilePipePrinterAccessMask,
    ImpersonationLevel,
    Open,
    ShareAccess,
)
from smbprotocol.tree import TreeConnect

_LARGEST: Final = 64 * 1024


class PipeTransport:
    """What the library for the calls wants of a transport; the names are its own."""

    def __init__(self, tree: TreeConnect, name: str) -> None:
        self._pipe = Open(tree, name)
        self._come = b""

    def get_dce_rpc(self) -> Any:
        """Return what makes calls through it."""
        return DCERPC_v5(self)

    def connect(self) -> None:
        """Open the pipe."""
        self._pipe.create(
            ImpersonationLevel.Impersonation,
            FilePipePrinterAccessMask.FILE_READ_DATA | FilePipePrinterAccessMask.FILE_WRITE_DATA,
            FileAttributes.FILE_ATTRIBUTE_NORMAL,
            ShareAccess.FILE_SHARE_READ | ShareAccess.FILE_SHARE_WRITE,
            CreateDisposition.FILE_OPEN,
            CreateOptions.FILE_NON_DIRECTORY_FILE,
        )

    def disconnect(self) -> None:
        """Close it."""
        with suppress(SMBException):
            self._pipe.close(False)

    def send(self, data: bytes, forceWriteAndx: int = 0, forceRecv: int = 0) -> None:  # noqa: ARG002, N803 - the library's
        """Write a message."""
        self._pipe.write(bytes(data), 0)

    def recv(self, forceRecv: int = 0, count: int = 0) -> bytes:  # noqa: ARG002, N803 - the library's
        """Return so many bytes of what has come, or all of it; messages are read whole, since a pipe hands them so."""
        # A read of fewer bytes than a message holds ends in STATUS_BUFFER_OVERFLOW ([MS-SMB2] 3.3.5.12).
        if not self._come:
            self._come = bytes(self._pipe.read(0, _LARGEST))
        size = count or len(self._come)
        given, self._come = self._come[:size], self._come[size:]
        return given

    def get_credentials(self) -> tuple[str, ...]:
        """Nothing: the connection below is signed already."""
        return ("", "", "", "", "", "", None, None)  # type: ignore[return-value]

    def get_rpc_transport(self) -> "PipeTransport":
        """Return what carries the calls."""
        return self

    def set_max_fragment_size(self, size: int) -> None:
        """The pipe takes what it is given."""
