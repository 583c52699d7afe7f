"""The same connection over the system's LDAP and SASL libraries, which sign, seal and verify by themselves.

By it a ticket signs in, and a password too; nothing of ours stands between, neither layer nor decoding.
"""

import os
import stat
import struct
import time
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import field
from importlib.util import find_spec
from pathlib import Path
from socket import SHUT_RDWR, SO_RCVTIMEO, SO_SNDTIMEO, SOL_SOCKET, socket
from ssl import get_default_verify_paths
from threading import Timer
from typing import Any, Final

from adzeguard.core.errors import (
    ChangeRefusedError,
    CredentialsRefusedError,
    DirectoryError,
    DirectorySilentError,
    DirectoryUnreachableError,
    SettingsError,
)
from adzeguard.core.values import dataclass
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_messages import BrokenAnswerError
from adzeguard.directory.ldap_port import (
    LINK_ENDS,
    MOST_EMPTY_PAGES,
    MOST_ENTRIES,
    NOTIFICATION,
    PAGE,
    PAGE_TIMEOUTS,
    Attributes,
    LdapWire,
)
from adzeguard.directory.ldap_refusals import empty_password, not_accepted, reason, silent, wants_encryption
from adzeguard.directory.port import Modification
from adzeguard.kerberos_client import trouble_with_ticket

_SEALED: Final = 56
"""The least strength of a layer that keeps others from reading; 1 would be signed alone (RFC 4422 section 3.7)."""
_DESCRIPTOR_PARTS: Final = "1.2.840.113556.1.4.801"
_SHOW_DELETED: Final = "1.2.840.113556.1.4.417"
_OWNER_GROUP_DACL: Final = b"\x30\x03\x02\x01\x07"  # a sequence of the number 7, [MS-ADTS] 3.1.1.3.4.1.11
_DACL: Final = b"\x30\x03\x02\x01\x04"
_OPEN_FILES: Final = "/dev/fd"
_AS_RECEIVED: Final = 2
"""LDAP_MSG_RECEIVED of ldap_result(3): all answers that are here, as soon as there is one."""
_OPERATIONS: Final = {"add": "MOD_ADD", "delete": "MOD_DELETE", "replace": "MOD_REPLACE"}
_NO_MECHANISM: Final = (
    (
        "o mechanism available",
        "the system cannot sign in by Kerberos",
        "Install SASL's mechanism; with Debian: apt-get install libsasl2-modules-gssapi-mit",
    ),
    ("o worthy mechs", "the system cannot sign in by Kerberos", "apt-get install libsasl2-modules-gssapi-mit"),
)


@dataclass(frozen=True, slots=True)
class Ticket:
    """Sign in by Kerberos, with the tickets that are used now."""

    by_keys: bool = False
    """Whether they come of a key table, and not from who runs the program."""


@dataclass(frozen=True, slots=True)
class Password:
    """Sign in by a name and a password, within TLS."""

    bind_as: str
    password: str = field(repr=False)


def is_there() -> bool:
    """Whether the system's library can be used."""
    return find_spec("ldap") is not None and find_spec("_ldap") is not None


def _library() -> Any:
    try:
        import ldap
        import ldap.controls.libldap
        import ldap.sasl
    except ImportError as error:
        raise SettingsError(
            "signing in by Kerberos needs the system's LDAP library",
            "Install it: apt-get install libldap-dev libsasl2-dev libsasl2-modules-gssapi-mit; then: "
            "pip install adzeguard[native]",
        ) from error
    return ldap


class NativeWire(LdapWire):
    """One connection, bound by a ticket and sealed, or by a password within TLS."""

    def __init__(self, address: Address, sign_in: Ticket | Password) -> None:
        address.check()
        self._address = address
        self._library = _library()
        self._sign_in = sign_in
        self._watching: int | None = None
        self._connection: Any = None
        with self._errors():
            with _cut_when_late(address):
                self._connection = self._prepared()
                self._be_patient_only_so_long()
            self._bind()

    def _prepared(self) -> Any:
        ldap, address = self._library, self._address
        connection = ldap.initialize(
            f"{'ldaps' if address.encrypted_from_start else 'ldap'}://{address.host}:{address.port}"
        )
        options = {
            "OPT_PROTOCOL_VERSION": 3,
            # A referral may name any server: following it would sign in there.
            "OPT_REFERRALS": 0,
            "OPT_NETWORK_TIMEOUT": address.timeout,
            "OPT_TIMEOUT": address.timeout,
            # The name that a ticket is asked for is the one that was given, not one that the DNS makes of its address.
            "OPT_X_SASL_NOCANON": 1,
        }
        for name, value in options.items():
            connection.set_option(getattr(ldap, name), value)
        if address.encrypted_from_start or address.start_tls:
            # All of them here: a file or the environment of the user may say otherwise (ldap.conf(5)).
            connection.set_option(ldap.OPT_X_TLS_REQUIRE_CERT, ldap.OPT_X_TLS_DEMAND)
            connection.set_option(ldap.OPT_X_TLS_PROTOCOL_MIN, ldap.OPT_X_TLS_PROTOCOL_TLS1_2)
            ca_file = address.ca_file or get_default_verify_paths().cafile
            if ca_file:
                connection.set_option(ldap.OPT_X_TLS_CACERTFILE, ca_file)
            connection.set_option(ldap.OPT_X_TLS_NEWCTX, 0)
        if address.start_tls and not address.encrypted_from_start:
            connection.start_tls_s()
        return connection

    def _be_patient_only_so_long(self) -> None:
        """Give the socket a limit of time of its own, which the library cannot: half a record of TLS would hold it.

        The socket is there once something was asked; what a server is called may be asked before signing in.
        """
        ldap = self._library
        number = self._connection.search_ext("", ldap.SCOPE_BASE, "(objectClass=*)", ["1.1"])
        with socket(fileno=os.dup(self._connection.fileno())) as its:
            for option in (SO_RCVTIMEO, SO_SNDTIMEO):
                its.setsockopt(SOL_SOCKET, option, struct.pack("ll", self._address.timeout, 0))
        with suppress(ldap.INSUFFICIENT_ACCESS, ldap.STRONG_AUTH_REQUIRED, ldap.OPERATIONS_ERROR):
            self._connection.result3(number, timeout=self._address.timeout)

    def _bind(self) -> None:
        ldap, connection = self._library, self._connection
        if isinstance(self._sign_in, Password):
            if not self._sign_in.password:
                raise empty_password()
            # Not its own call that waits, which waits for ever.
            number = connection.simple_bind(self._sign_in.bind_as, self._sign_in.password)
            connection.result3(number, timeout=self._address.timeout)
            return
        # Within TLS a second layer is refused; without it an unsealed one is never taken.
        encrypted = self._address.encrypted_from_start or self._address.start_tls
        connection.set_option(
            ldap.OPT_X_SASL_SSF_MAX if encrypted else ldap.OPT_X_SASL_SSF_MIN, 0 if encrypted else _SEALED
        )
        connection.sasl_interactive_bind_s("", ldap.sasl.gssapi())

    def close(self) -> None:
        """Say good-bye, whether or not the server still listens."""
        with suppress(self._library.LDAPError, AttributeError):
            self._connection.unbind_s()

    def search(
        self,
        base: str,
        query: str,
        attributes: Sequence[str],
        *,
        scope: str = "SUBTREE",
        descriptors: bool = True,
        deleted: bool = False,
        link_ends: bool = False,
    ) -> Iterator[tuple[str, Attributes]]:
        """Yield the name and the raw attributes of each entry; the next page is asked for while one is taken."""
        ldap = self._library
        control = ldap.controls.RequestControl
        controls = [control(_DESCRIPTOR_PARTS, True, _OWNER_GROUP_DACL)] if descriptors else []
        controls += [control(_SHOW_DELETED, True, None)] if deleted else []
        controls += [control(LINK_ENDS, False, None)] if link_ends else []
        single = scope == "BASE"
        ask = (base, ldap.SCOPE_BASE if single else ldap.SCOPE_SUBTREE, query, list(attributes))
        number: int | None = self._ask(ask, controls, None if single else b"")
        empty = 0
        while number is not None:
            entries, cookie = self._page(number)
            empty = empty + 1 if cookie and not entries else 0
            if empty > MOST_EMPTY_PAGES:
                raise BrokenAnswerError("the server goes on promising answers and gives none")
            number = self._ask(ask, controls, cookie) if cookie else None
            try:
                for dn, values in entries:
                    if dn is not None:  # a reference to another server has no name
                        yield dn, {name.lower(): found for name, found in values.items()}
            except GeneratorExit:
                if number is not None:
                    self._page(number)
                raise

    def _ask(self, ask: tuple[Any, ...], controls: list[Any], cookie: bytes | None) -> int:
        paged = self._library.controls.libldap.SimplePagedResultsControl
        pages = [paged(True, size=PAGE, cookie=cookie)] if cookie is not None else []
        with self._errors():
            return int(self._connection.search_ext(*ask, serverctrls=[*controls, *pages]))

    def _page(self, number: int) -> tuple[list[tuple[str | None, dict[str, list[bytes]]]], bytes]:
        """Return the entries of one page, and the cookie of the next, empty after the last.

        They are taken as they come, and counted: a server may send them without end.
        """
        ldap, entries = self._library, []
        deadline = time.monotonic() + PAGE_TIMEOUTS * self._address.timeout
        try:
            with self._errors():
                kind = None
                while kind != ldap.RES_SEARCH_RESULT:
                    left = min(deadline - time.monotonic(), self._address.timeout)
                    if left <= 0:
                        raise ldap.TIMEOUT
                    kind, found, _, controls = self._connection.result3(number, all=_AS_RECEIVED, timeout=left)
                    entries += found
                    if len(entries) > MOST_ENTRIES:
                        raise BrokenAnswerError("the server does not come to an end with one page of answers")
        except _GoneError:
            return [], b""
        except DirectoryError as error:
            if type(error) is not DirectoryError:
                raise
            raise DirectoryError(f"the directory stopped the search: {error.message}", error.way_out) from error
        kind = ldap.controls.libldap.SimplePagedResultsControl.controlType
        cookies = [control.cookie for control in controls if control.controlType == kind]
        return entries, cookies[0] if cookies and cookies[0] else b""

    def ask_for_changes(self, base: str) -> None:
        """Ask to be told of every change from now on."""
        ldap = self._library
        control = ldap.controls.RequestControl(NOTIFICATION, True, None)
        with self._errors():
            self._watching = self._connection.search_ext(
                base, ldap.SCOPE_SUBTREE, "(objectClass=*)", ["objectGUID"], serverctrls=[control]
            )

    def told_of_a_change(self, seconds: float) -> bool:
        """Wait at most so long for the next change."""
        ldap = self._library
        try:
            with self._errors():
                kind, _ = self._connection.result(self._watching, all=0, timeout=max(0.0, seconds))
        except DirectorySilentError:
            return False
        if kind == ldap.RES_SEARCH_RESULT:
            raise DirectoryError(f"{self._address.url} tells of no changes")
        return bool(kind == ldap.RES_SEARCH_ENTRY)

    def add(self, dn: str, attributes: Mapping[str, Sequence[bytes]]) -> None:
        """Create an entry."""
        values = [(name, list(given)) for name, given in attributes.items()]
        self._write("add", dn, lambda one: one.add_ext_s(dn, values))

    def modify(self, dn: str, modifications: Sequence[Modification], *, whole_descriptor: bool = False) -> None:
        """Change attributes of an entry, all or none."""
        ldap = self._library
        changes = [
            (getattr(ldap, _OPERATIONS[one.operation]), one.attribute, list(one.values) or None)
            for one in modifications
        ]
        about_rights = any(one.attribute.lower() == "ntsecuritydescriptor" for one in modifications)
        parts = _OWNER_GROUP_DACL if whole_descriptor else _DACL
        controls = [ldap.controls.RequestControl(_DESCRIPTOR_PARTS, True, parts)] if about_rights else []
        self._write("modify", dn, lambda one: one.modify_ext_s(dn, changes, serverctrls=controls))

    def restore(self, deleted_dn: str, dn: str) -> None:
        """Put a deleted entry back among the living."""
        ldap = self._library
        changes = [
            (ldap.MOD_DELETE, "isDeleted", None),
            (ldap.MOD_REPLACE, "distinguishedName", [dn.encode("utf-8", "surrogateescape")]),
        ]
        controls = [ldap.controls.RequestControl(_SHOW_DELETED, True, None)]
        self._write("modify", deleted_dn, lambda one: one.modify_ext_s(deleted_dn, changes, serverctrls=controls))

    def rename(self, dn: str, leaf: str, parent: str) -> None:
        """Give an entry another leaf name and another container."""
        self._write("modify_dn", dn, lambda one: one.rename_s(dn, leaf, parent))

    def delete(self, dn: str) -> None:
        """Remove an entry."""
        self._write("delete", dn, lambda one: one.delete_ext_s(dn))

    def _write(self, operation: str, dn: str, write: Any) -> None:
        try:
            with self._errors():
                write(self._connection)
        except DirectoryUnreachableError:
            raise
        except DirectoryError as error:
            raise ChangeRefusedError(f"the directory refuses to {operation} {dn}: {error.message}") from error

    @contextmanager
    def _errors(self) -> Iterator[None]:
        """Turn what the library raises into our own errors."""
        ldap, url = self._library, self._address.url
        try:
            yield
        except ldap.NO_SUCH_OBJECT as error:
            raise _GoneError(_reason(error)) from error
        except ldap.TIMEOUT as error:
            raise silent(self._address) from error
        except (ldap.SERVER_DOWN, ldap.CONNECT_ERROR, ldap.UNAVAILABLE) as error:
            raise DirectoryUnreachableError(
                f"no connection to {url}: {_said(error)}", "Is the server up, and the address right?"
            ) from error
        except ldap.STRONG_AUTH_REQUIRED as error:
            if isinstance(self._sign_in, Password):
                raise wants_encryption(self._address) from error
            raise DirectoryUnreachableError(
                f"{url} wants a sealed connection", "Use ldap://, which is sealed"
            ) from error
        except ldap.UNWILLING_TO_PERFORM as error:
            said = _said(error)
            within = "if TLS is used" in said
            raise DirectoryError(
                f"the server is unwilling to perform it ({said})", "Use ldap://, which is sealed" if within else ""
            ) from error
        except ldap.INVALID_CREDENTIALS as error:
            raise self._not_accepted(error) from error
        except ldap.LDAPError as error:
            raise self._of_sign_in(error) from error
        except (UnicodeError, ValueError, TypeError) as error:
            raise DirectoryError(f"{url} says or is asked what LDAP cannot say") from error

    def _not_accepted(self, error: Exception) -> CredentialsRefusedError:
        if isinstance(self._sign_in, Password):
            return not_accepted(self._address, self._sign_in.bind_as)
        return CredentialsRefusedError(
            f"{self._address.url} does not accept the ticket: {_said(error)}",
            "Is it for this server, and for its whole DNS name?",
        )

    def _of_sign_in(self, error: Exception) -> DirectoryError:
        said = _said(error)
        trouble = trouble_with_ticket(said, "LDAP", by_keys=self._sign_in == Ticket(by_keys=True))
        lacking = ((words, way_out) for sign, words, way_out in _NO_MECHANISM if sign in said)
        trouble = trouble or next(lacking, None)
        if trouble is None:
            return DirectoryError(_reason(error))
        return CredentialsRefusedError(f"{self._address.url}: {trouble[0]}", trouble[1])


@contextmanager
def _cut_when_late(address: Address) -> Iterator[None]:
    """Cut what is being connected when the server has not agreed on TLS in time.

    OpenLDAP 2.5 with GnuTLS was seen to ask a silent server for ever, at full speed and beyond all limits; its
    socket is known only later, so it is the new one to the server's port.
    """
    before = _open_sockets()

    def cut() -> None:
        for number in _open_sockets() - before:
            with suppress(OSError), socket(fileno=os.dup(number)) as found:
                if found.getpeername()[1] == address.port:
                    found.shutdown(SHUT_RDWR)

    timer = Timer(2 * address.timeout, cut)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()


def _open_sockets() -> set[int]:
    found = set()
    for entry in Path(_OPEN_FILES).iterdir():
        with suppress(OSError):  # the folder itself was open while it was read
            if stat.S_ISSOCK(os.fstat(int(entry.name)).st_mode):
                found.add(int(entry.name))
    return found


class _GoneError(DirectoryError):
    """There is no such object: which is an answer to a reader, and no failure."""


def _reason(error: Exception) -> str:
    """Return what the server answers, in our words where it is a result code."""
    told = error.args[0] if error.args and isinstance(error.args[0], dict) else {}
    code = int(told.get("result", 0))
    return reason(code, str(told.get("info", ""))) if code > 0 else f"the directory says: {_said(error)}"


def _said(error: Exception) -> str:
    """Return what the library tells, on one line."""
    told = error.args[0] if error.args and isinstance(error.args[0], dict) else {}
    parts = [str(told[key]) for key in ("desc", "info") if told.get(key)] or [str(error)]
    return " ".join(" ".join(parts).split())[:300]
