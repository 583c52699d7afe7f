"""Shares of a server over SMB 2 and 3, signed, with the permissions of each folder ([MS-SMB2], [MS-DTYP] 2.4.6).

The names of shares and their own permissions come from the server's list of them ([MS-SRVS] 3.1.4.8), which only its
administrators may read in full; without that right, name the shares in the settings.
"""

import importlib.util
import uuid
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from time import monotonic
from typing import Any, Final, TypeVar

from impacket.dcerpc.v5 import srvs
from impacket.dcerpc.v5.rpcrt import DCERPCException
from smbprotocol.exceptions import SMBAuthenticationError, SMBException, SMBResponseException
from smbprotocol.file_info import FileAttributes, FileInformationClass, InfoType
from smbprotocol.open import (
    CreateDisposition,
    CreateOptions,
    DirectoryAccessMask,
    FilePipePrinterAccessMask,
    ImpersonationLevel,
    Open,
    ShareAccess,
    SMB2QueryDirectoryResponse,
    SMB2QueryInfoRequest,
    SMB2QueryInfoResponse,
    SMB2SetInfoRequest,
)
from smbprotocol.session import Session
from smbprotocol.tree import TreeConnect

from adzeguard.core.access.shares import Folder
from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import SettingsError, ShareError
from adzeguard.kerberos_client import signs_in_by_ticket, trouble_with_ticket, use_tickets
from adzeguard.shares.directory_entries import entries_in
from adzeguard.shares.patient import WAIT, PatientConnection
from adzeguard.shares.port import ReadShare
from adzeguard.shares.smb_pipe import PipeTransport

T = TypeVar("T")
SignsIn = Callable[[PatientConnection], Session]
_PORT: Final = 445
_OWNER_GROUP_LIST: Final = 0x7  # [MS-SMB2] 2.2.37, OWNER, GROUP and DACL_SECURITY_INFORMATION
_LIST_ALONE: Final = 0x4
_LARGEST_DESCRIPTOR: Final = 65_536
_MOST_IN_A_FOLDER: Final = 200_000
_LISTING: Final = 60.0
"""Seconds for the list of one folder: a hundred thousand names take ten."""
_LEADS_ELSEWHERE: Final = frozenset("\\/:\0")
_SHOWN: Final = 80
_SAID: Final = 200
_OF_DISKS: Final = 0  # [MS-SRVS] 2.2.2.4, STYPE_DISKTREE; what is hidden for administration has further bits
_SYNCHRONIZE_NOT: Final = FilePipePrinterAccessMask.READ_CONTROL


class SmbShares:
    """One server. A connection is made when it is first needed, and each share is connected to once."""

    def __init__(self, settings: Settings, secret: Secret) -> None:
        self.server = settings["server"]
        self._address = settings.get("address") or self.server
        self._named = [name.strip() for name in settings.get("shares", "").split(",") if name.strip()]
        self._by_keys = bool(settings.get("keytab"))
        self._signs_in = _signs_in(settings, self._address, secret)
        self.asked_to_stop: Callable[[], bool] = lambda: False
        self._session: Session | None = None
        self._trees: dict[str, TreeConnect] = {}

    def shares(self) -> Sequence[ReadShare]:
        """Return those that are named in the settings, otherwise all that the server lists."""
        listed = self._said("its list of shares", self._listed)
        if self._named:
            known = {one.name.casefold(): one for one in listed}
            return [known.get(name.casefold(), ReadShare(name)) for name in self._named]
        return listed

    def parts(self, share: str) -> Sequence[str]:
        """Return the folders at the top of a share."""
        return self._said(rf"{share}", lambda: self._inside(share, ""))

    def folders(self, share: str, below: str, depth: int) -> Iterator[Folder]:
        """Yield a folder and those below, level by level."""
        waiting = [below]
        for path in waiting:
            try:
                descriptor = self._permissions(share, path)
            # A folder that denies reading is named as such: left out, its grants would seem not to exist.
            except (SMBException, ShareError) as error:
                yield Folder(path, b"", _words(error))
                continue
            denied = ""
            if path and path.count("\\") + 1 < depth:
                try:
                    waiting += [rf"{path}\{name}" for name in self._inside(share, path)]
                except (SMBException, ShareError) as error:
                    denied = f"what lies in it: {_words(error)}"
            yield Folder(path, descriptor, denied)

    def read(self, share: str, path: str) -> bytes:
        """Return the permissions of one folder."""
        return self._said(rf"{share}\{path}", lambda: self._permissions(share, path))

    def write(self, share: str, path: str, descriptor: bytes) -> None:
        """Set the list of one folder; its owner and its group stay."""

        def change() -> None:
            access = DirectoryAccessMask.WRITE_DAC | DirectoryAccessMask.READ_CONTROL
            with self._opened(share, path, access) as handle:
                request = SMB2SetInfoRequest()
                request["info_type"] = InfoType.SMB2_0_INFO_SECURITY
                # Owner and group take privileges of their own, and are not what a change is about.
                request["additional_information"] = _LIST_ALONE
                request["file_id"] = handle.file_id
                request["buffer"] = descriptor
                self._asked(handle, request)

        self._said(rf"{share}\{path}", change)

    def close(self) -> None:
        """Log off; a server that is gone is none to say goodbye to."""
        if self._session is not None:
            with suppress(SMBException, OSError, ShareError):
                self._session.connection.disconnect(close=True)
            self._session, self._trees = None, {}

    def _connected(self) -> Session:
        if self._session is None:
            # Without signing somebody in between could change what a list says on its way.
            connection = PatientConnection(uuid.uuid4(), self._address, _PORT, require_signing=True)
            connection.asked_to_stop = self.asked_to_stop
            connection.connect(timeout=WAIT)
            session = self._signs_in(connection)
            session.connect()
            self._session = session
        return self._session

    def _tree(self, share: str) -> TreeConnect:
        session = self._connected()
        if share not in self._trees:
            tree = TreeConnect(session, rf"\\{self._address}\{share}")
            tree.connect()
            self._trees[share] = tree
        return self._trees[share]

    @contextmanager
    def _opened(
        self, share: str, path: str, access: int, disposition: int = CreateDisposition.FILE_OPEN
    ) -> Iterator[Open]:
        handle = Open(self._tree(share), path)
        handle.create(
            ImpersonationLevel.Impersonation,
            access,
            FileAttributes.FILE_ATTRIBUTE_DIRECTORY,
            ShareAccess.FILE_SHARE_READ | ShareAccess.FILE_SHARE_WRITE | ShareAccess.FILE_SHARE_DELETE,
            disposition,
            CreateOptions.FILE_DIRECTORY_FILE,
        )
        try:
            yield handle
        finally:
            with suppress(SMBException, ShareError):
                handle.close(False)

    def _permissions(self, share: str, path: str) -> bytes:
        with self._opened(share, path, _SYNCHRONIZE_NOT) as handle:
            request = SMB2QueryInfoRequest()
            request["info_type"] = InfoType.SMB2_0_INFO_SECURITY
            request["output_buffer_length"] = _LARGEST_DESCRIPTOR
            request["additional_information"] = _OWNER_GROUP_LIST
            request["file_id"] = handle.file_id
            answer = SMB2QueryInfoResponse()
            answer.unpack(self._asked(handle, request))
            return bytes(answer["buffer"].get_value())

    def _asked(self, handle: Open, request: Any) -> bytes:
        tree = handle.tree_connect
        sent = handle.connection.send(request, tree.session.session_id, tree.tree_connect_id)
        return bytes(handle.connection.receive(sent)["data"].get_value())

    def _inside(self, share: str, path: str) -> list[str]:
        """Return the names of the folders in one; a link to another place is not followed, as it may lead in a ring."""
        looked = FileAttributes.FILE_ATTRIBUTE_DIRECTORY | FileAttributes.FILE_ATTRIBUTE_REPARSE_POINT
        names: list[str] = []
        seen: set[str] = set()
        until = monotonic() + _LISTING
        with self._opened(share, path, DirectoryAccessMask.FILE_LIST_DIRECTORY) as handle:
            while (entries := self._next_entries(handle, is_first=not seen)) is not None:
                for name, attributes in entries:
                    # A name that leads elsewhere, or comes again, is in no folder: one server named "." for ever.
                    if name in seen or _LEADS_ELSEWHERE & set(name) or not name:
                        raise ShareError(f"the server lists {name[:_SHOWN]!r} in one folder, twice or as no name")
                    seen.add(name)
                    if attributes & looked == FileAttributes.FILE_ATTRIBUTE_DIRECTORY and name not in (".", ".."):
                        names.append(name)
                # A list that is cut is none: whose folders are left out would seem to hold no grants.
                if len(seen) > _MOST_IN_A_FOLDER:
                    raise ShareError(f"the server lists more than {_MOST_IN_A_FOLDER} names in one folder")
                if monotonic() > until:
                    raise ShareError(f"the server took longer than {_LISTING:.0f} seconds to list one folder")
                if self.asked_to_stop():
                    raise ShareError("it was left, since somebody stopped this")
        return sorted(names, key=str.casefold)

    def _next_entries(self, handle: Open, *, is_first: bool) -> list[tuple[str, int]] | None:
        """Return what a folder lists next, each name with its attributes; None at the end."""
        request, _ = handle.query_directory("*", FileInformationClass.FILE_DIRECTORY_INFORMATION, flags=0, send=False)
        answer = SMB2QueryDirectoryResponse()
        try:
            answer.unpack(self._asked(handle, request))
        except SMBResponseException as error:
            # Each folder holds at least "." and "..": before anything came, this code is no end but a refusal.
            if is_first or error.status != _NO_MORE:
                raise
            return None
        return list(entries_in(bytes(answer["buffer"].get_value())))

    def _listed(self) -> list[ReadShare]:
        transport = PipeTransport(self._tree("IPC$"), "srvsvc")
        try:
            rpc = transport.get_dce_rpc()
            rpc.connect()
            rpc.bind(srvs.MSRPC_UUID_SRVS)
            try:
                found = srvs.hNetrShareEnum(rpc, 502)["InfoStruct"]["ShareInfo"]["Level502"]["Buffer"]
                return [
                    ReadShare(one["shi502_netname"].rstrip("\0"), b"".join(one["shi502_security_descriptor"] or ()))
                    for one in found
                    if one["shi502_type"] == _OF_DISKS
                ]
            except DCERPCException:
                # Who is no administrator of the server is told the names alone.
                found = srvs.hNetrShareEnum(rpc, 1)["InfoStruct"]["ShareInfo"]["Level1"]["Buffer"]
                return [ReadShare(one["shi1_netname"].rstrip("\0")) for one in found if one["shi1_type"] == _OF_DISKS]
        finally:
            transport.disconnect()

    def _said(self, what: str, ask: Callable[[], T]) -> T:
        try:
            return ask()
        except ShareError as error:
            raise ShareError(rf"\\{self.server}\{what}: {error.message}") from error
        except SMBResponseException as error:
            raise ShareError(rf"\\{self.server}\{what}: {_words(error)}") from error
        except SMBAuthenticationError as error:
            trouble = trouble_with_ticket(str(error), "file", by_keys=self._by_keys)
            words, way_out = trouble or (f"does not let it sign in: {str(error)[:_SAID]}", "")
            raise ShareError(rf"\\{self.server}: {words}", way_out) from error
        except (SMBException, DCERPCException, OSError, ValueError) as error:
            raise ShareError(rf"\\{self.server} does not answer: {error}") from error


def _signs_in(settings: Settings, address: str, secret: Secret) -> SignsIn:
    """Return how a connection is signed in on: by a name and a password, or by a ticket and never by anything else."""
    bind_as, keytab = settings.get("bind_as", ""), settings.get("keytab", "")
    if not signs_in_by_ticket(settings, "shares"):
        if not bind_as:
            raise SettingsError("[shares] bind_as is missing", r"Write DOMAIN\name, or sign_in = kerberos")
        return lambda connection: Session(connection, bind_as, secret(), require_encryption=False)
    if importlib.util.find_spec("gssapi") is None or importlib.util.find_spec("krb5") is None:
        raise SettingsError("[shares] sign_in = kerberos needs an extra", "pip install 'adzeguard[shares-by-ticket]'")

    def by_ticket(connection: PatientConnection) -> Session:
        use_tickets(keytab, bind_as, secret)
        return Session(connection, require_encryption=False, hostname_override=address, auth_protocol="kerberos")

    return by_ticket


_NO_MORE: Final = 0x80000006  # STATUS_NO_MORE_FILES


def _words(error: SMBException | ShareError) -> str:
    if isinstance(error, ShareError):
        return error.message
    if isinstance(error, SMBResponseException):
        said = str(error).removeprefix("Received unexpected status from the server: ")
        return said.partition(" (")[0].strip()
    return str(error)


def _open(settings: Settings, secret: Secret, _names: Names) -> SmbShares:
    return SmbShares(settings, secret)


def _asks(settings: Settings) -> bool:
    return settings.get("sign_in") != "kerberos" or bool(settings.get("bind_as"))


DRIVER: Final = DriverKind(
    "smb",
    (
        Setting("server", "what the server is called in paths", needed=True),
        Setting("address", "its address, where that is another than its name"),
        Setting("shares", "the shares to read, with commas between; otherwise all that it lists"),
        Setting("bind_as", r"as whom to connect: DOMAIN\name"),
        Setting("password_file", "a file with the password", is_path=True, is_decisive=True),
        Setting("sign_in", "kerberos: by the ticket that is there, or with bind_as by one that a password gets"),
        Setting("keytab", "a key table that gets the ticket", is_path=True, is_decisive=True),
    ),
    _open,
    asks_secret=_asks,
)
