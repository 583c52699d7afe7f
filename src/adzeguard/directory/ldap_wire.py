"""The seam to the LDAP library: bind, paged search giving raw bytes, add, modify, rename, delete.

Everything that the rest knows of LDAP messages is in these few calls, so that a quicker library can take their place.
"""

import ssl
import time
from ast import literal_eval
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from socket import SHUT_RDWR
from threading import Timer
from typing import Any, Final

from adzeguard.core.errors import (
    CertificateRefusedError,
    ChangeRefusedError,
    DirectoryError,
    DirectorySilentError,
    DirectoryUnreachableError,
    SettingsError,
)
from adzeguard.core.values import dataclass
from adzeguard.core.wording import printable, some_of
from adzeguard.directory.certificate_name import is_for, names_of
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_messages import (
    EXTENDED_RESPONSE,
    SEARCH_DONE,
    SEARCH_ENTRY,
    BrokenAnswerError,
    Done,
    message_end,
    message_kind,
    read_done,
    read_entry,
)
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

_MOST_REFERRALS: Final = 10_000
_CHUNK: Final = 64 * 1024
_DACL: Final = 4
_OWNER_GROUP_DACL: Final = 7  # the parts of a descriptor that need no special right, [MS-ADTS] 3.1.1.3.4.1.11
_INVALID_CREDENTIALS: Final = 49
_NO_SUCH_OBJECT: Final = 32
_NOT_ALLOWED_WHILE_PLAIN: Final = 8  # strongerAuthRequired


class Wire(LdapWire):
    """One bound connection."""

    def __init__(self, address: Address, bind_as: str, password: str) -> None:
        address.check()
        self._address = address
        with errors_of_ours(address):
            self._connection = _connect(address, bind_as, password)
        self._buffer = bytearray()

    def close(self) -> None:
        """Say good-bye, whether or not the server still listens."""
        from ldap3.core.exceptions import LDAPException

        # ldap3 may let go of its socket in unbind without closing it.
        socket = self._connection.socket
        with suppress(LDAPException, OSError):
            self._connection.unbind()
        if socket is not None:  # the library keeps it open where its good-bye could not be sent
            socket.close()

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
        """Yield the name and the raw attributes of each entry; attribute names are lower-case.

        The next page is asked for as soon as one has arrived, so that the server works on it while this one is decoded;
        a thread to read ahead was tried and is slower, since it waits for the decoder at every record. Referrals to
        other servers are not followed. The connection is busy until the last entry was taken.
        """
        ask = _Question(base, query, tuple(attributes), scope, descriptors, deleted, link_ends)
        number: int | None = self._send(ask, b"")
        empty = 0
        while number is not None:
            messages, cookie = self._receive_page(number)
            empty = empty + 1 if cookie and not messages else 0
            # A cookie without entries is allowed (RFC 2696 section 3), and without end it would hold a collection.
            if empty > MOST_EMPTY_PAGES:
                raise BrokenAnswerError("the server goes on promising answers and gives none")
            number = self._send(ask, cookie) if cookie else None
            try:
                for message in messages:
                    yield read_entry(message)
            except GeneratorExit:
                # Nobody wants the rest: what was asked for is read, so that the connection can be used again.
                if number is not None:
                    self._receive_page(number)
                raise

    def ask_for_changes(self, base: str) -> None:
        """Ask to be told of every change from now on ([MS-ADTS] 3.1.1.3.4.1.9), over a connection for that alone."""
        from ldap3 import DEREF_NEVER, SUBTREE
        from ldap3.operation.search import search_operation

        with errors_of_ours(self._address):
            # The server takes no other filter with this control, and no limit of time: it goes on for ever.
            everything = "(objectClass=*)"
            request = search_operation(
                base,
                everything,
                SUBTREE,
                DEREF_NEVER,
                ["objectGUID"],
                0,
                0,
                False,
                False,
                None,
                None,
                check_names=False,
            )
            self._connection.strategy.send("searchRequest", request, [(NOTIFICATION, True, None)])

    def told_of_a_change(self, seconds: float) -> bool:
        """Wait at most so long for the next change; `DirectoryError` where the server tells none any more."""
        deadline = time.monotonic() + seconds
        with errors_of_ours(self._address):
            socket = self._connection.socket
            # ldap3 set a time for answers on this socket; a change may come much later than that.
            before = socket.gettimeout()
            try:
                while (end := message_end(self._buffer, 0)) is None:
                    left = deadline - time.monotonic()
                    if left <= 0:
                        return False
                    socket.settimeout(left)
                    try:
                        chunk = socket.recv(_CHUNK)
                    except TimeoutError:
                        return False
                    if not chunk:
                        raise DirectoryUnreachableError(f"{self._address.url} closed the connection", "Is it still up?")
                    self._buffer += chunk
            finally:
                socket.settimeout(before)
            message = bytes(self._buffer[:end])
            del self._buffer[:end]
            # A server without the control answers with the end of the search, whatever code stands in it.
            if message_kind(message)[1] == SEARCH_DONE:
                raise DirectoryError(f"{self._address.url} tells of no changes")
            return message_kind(message)[1] == SEARCH_ENTRY

    def add(self, dn: str, attributes: Mapping[str, Sequence[bytes]]) -> None:
        """Create an entry."""
        self._write("add", dn, dn, None, {name: list(values) for name, values in attributes.items()})

    def modify(self, dn: str, modifications: Sequence[Modification], *, whole_descriptor: bool = False) -> None:
        """Change attributes of an entry, all or none. Of a descriptor only the grants, or with them owner and group."""
        from ldap3 import MODIFY_ADD, MODIFY_DELETE, MODIFY_REPLACE
        from ldap3.protocol.microsoft import security_descriptor_control

        codes = {"add": MODIFY_ADD, "delete": MODIFY_DELETE, "replace": MODIFY_REPLACE}
        changes: dict[str, list[tuple[str, list[bytes]]]] = {}
        about_rights = any(change.attribute.lower() == "ntsecuritydescriptor" for change in modifications)
        for change in modifications:
            changes.setdefault(change.attribute, []).append((codes[change.operation], list(change.values)))
        # As a rule only the list of grants is written: owner and group take rights of their own.
        parts = _OWNER_GROUP_DACL if whole_descriptor else _DACL
        controls = security_descriptor_control(True, parts) if about_rights else None
        self._write("modify", dn, dn, changes, controls=controls)

    def restore(self, deleted_dn: str, dn: str) -> None:
        """Take the mark of deletion from an entry and put it back among the living, in one change."""
        from ldap3 import MODIFY_DELETE, MODIFY_REPLACE
        from ldap3.protocol.microsoft import show_deleted_control

        changes = {"isDeleted": [(MODIFY_DELETE, [])], "distinguishedName": [(MODIFY_REPLACE, [dn])]}
        self._write("modify", deleted_dn, deleted_dn, changes, controls=[show_deleted_control(True)])

    def rename(self, dn: str, leaf: str, parent: str) -> None:
        """Give an entry another leaf name (like "CN=New") and put it below another container."""
        self._write("modify_dn", dn, dn, leaf, new_superior=parent)

    def delete(self, dn: str) -> None:
        """Remove an entry."""
        self._write("delete", dn, dn)

    def _write(self, operation: str, dn: str, *arguments: Any, **named: Any) -> None:
        with errors_of_ours(self._address), _in_time(self._connection, self._address):
            getattr(self._connection, operation)(*arguments, **named)
            result = self._connection.result
        # A referral (10) or any other code is a no: nothing was written on this server.
        if result["result"] != 0:
            raise ChangeRefusedError(
                f"the directory refuses to {operation} {dn}: {reason(result['result'], result['message'])}"
            )

    def _send(self, ask: "_Question", cookie: bytes) -> int:
        from ldap3 import DEREF_NEVER
        from ldap3.operation.search import search_operation
        from ldap3.protocol.microsoft import security_descriptor_control, show_deleted_control
        from ldap3.protocol.rfc2696 import paged_search_control

        seconds = self._address.timeout
        with errors_of_ours(self._address):
            request = search_operation(
                ask.base,
                ask.query,
                ask.scope,
                DEREF_NEVER,
                list(ask.attributes),
                0,
                seconds,
                False,
                False,
                None,
                None,
                # To check names the library would need the whole schema, which nothing here has read.
                check_names=False,
            )
            controls = [] if ask.scope == "BASE" else [paged_search_control(True, PAGE, cookie)]
            if ask.descriptors:
                controls += security_descriptor_control(True, _OWNER_GROUP_DACL)
            if ask.deleted:
                controls += [show_deleted_control(True)]
            if ask.link_ends:
                controls += [(LINK_ENDS, False, None)]  # one that does not know it gives plain names
            return int(self._connection.strategy.send("searchRequest", request, controls))

    def _receive_page(self, number: int) -> tuple[list[bytes], bytes]:
        """Return the entries of one page as they came, and the cookie of the next, empty after the last."""
        messages: list[bytes] = []
        passed_over = 0
        deadline = time.monotonic() + PAGE_TIMEOUTS * self._address.timeout
        with errors_of_ours(self._address):
            while True:
                message = self._receive_message(deadline)
                answered, kind, _ = message_kind(message)
                # Message number 0 is the notice of disconnection, RFC 4511 section 4.4.1.
                if answered == 0 and kind == EXTENDED_RESPONSE:
                    raise DirectoryUnreachableError("the server is closing the connection", "Try again later")
                if answered != number:
                    raise BrokenAnswerError("the server answers another question than the one asked")
                if kind == SEARCH_ENTRY:
                    messages.append(message)
                elif kind == SEARCH_DONE:
                    return messages, _cookie_of(read_done(message))
                # What is left are references to other servers (RFC 4511 section 4.5.3), which are not followed.
                else:
                    passed_over += 1
                if len(messages) > MOST_ENTRIES or passed_over > _MOST_REFERRALS:
                    raise BrokenAnswerError("the server does not come to an end with one page of answers")

    def _receive_message(self, deadline: float) -> bytes:
        """Return the next message whole. A server that drips is left as one that is silent."""
        deadline = min(deadline, time.monotonic() + self._address.timeout)
        while (end := message_end(self._buffer, 0)) is None:
            if time.monotonic() > deadline:
                raise TimeoutError
            chunk = self._connection.socket.recv(_CHUNK)
            if not chunk:
                raise DirectoryUnreachableError(
                    f"{self._address.url} closed the connection in the middle of an answer",
                    "Is the server still up?",
                )
            self._buffer += chunk
        message = bytes(self._buffer[:end])
        del self._buffer[:end]
        return message


@dataclass(frozen=True, slots=True)
class _Question:
    base: str
    query: str
    attributes: tuple[str, ...]
    scope: str
    descriptors: bool
    deleted: bool
    link_ends: bool


def _cookie_of(done: Done) -> bytes:
    # Reading a name that is gone is an answer and no error: the executors ask whether something is still there.
    if done.code == _NO_SUCH_OBJECT:
        return b""
    if done.code != 0:
        raise DirectoryError(f"the directory stopped the search: {reason(done.code, done.diagnostic)}")
    return done.cookie


def _connect(address: Address, bind_as: str, password: str) -> Any:
    from ldap3 import NONE, SIMPLE, SYNC, Connection, Server, Tls
    from ldap3 import set_config_parameter as configure

    # ldap3 reads 4 KB at a time otherwise; a page of a large directory is a hundred times that.
    configure("SOCKET_SIZE", _CHUNK)
    encrypted = address.encrypted_from_start
    tls = None
    if encrypted or address.start_tls:
        names = [address.tls_name] if address.tls_name else None
        tls = Tls(
            validate=ssl.CERT_REQUIRED,
            version=ssl.PROTOCOL_TLS_CLIENT,
            ca_certs_file=address.ca_file or ssl.get_default_verify_paths().cafile,
            valid_names=names,
            # Behind one address several servers may answer; without a name the wrong certificate comes.
            sni=address.tls_name or None,
        )
    server = Server(
        address.host, address.port, use_ssl=encrypted, tls=tls, get_info=NONE, connect_timeout=address.timeout
    )
    connection = Connection(
        server,
        bind_as,
        password,
        authentication=SIMPLE,
        client_strategy=SYNC,
        # A referral may name any server: following it would send the password there.
        auto_referrals=False,
        check_names=False,
        receive_timeout=address.timeout,
        # Values are bytes already; the library would guess at text in a descriptor.
        auto_encode=False,
        raise_exceptions=False,
    )
    try:
        with _in_time(connection, address):
            _bind(connection, address, encrypted=encrypted or address.start_tls)
    except BaseException:
        with suppress(OSError, AttributeError):
            connection.socket.close()
        raise
    return connection


def _bind(connection: Any, address: Address, *, encrypted: bool) -> None:
    connection.open(read_server_info=False)
    if address.start_tls and not address.encrypted_from_start and not connection.start_tls(read_server_info=False):
        raise DirectoryUnreachableError(f"{address.url} does not offer encryption", "Use ldaps://")
    # Before the bind, which sends the password.
    if encrypted:
        _verify_name(connection.socket, address)
    if not connection.bind(read_server_info=False):
        code = connection.result["result"]
        if code == _INVALID_CREDENTIALS:
            raise not_accepted(address, connection.user)
        # Samba's default, `ldap server require strong auth = yes`, answers so to a simple bind on port 389.
        if code == _NOT_ALLOWED_WHILE_PLAIN:
            raise wants_encryption(address)
        raise DirectoryError(f"{address.url} refuses the bind: {reason(code, connection.result['message'])}")


@contextmanager
def _in_time(connection: Any, address: Address) -> Iterator[None]:
    """Cut the connection when the library has not come to an end in time.

    It waits anew with each byte that arrives, so that a server which drips would hold it for good.
    """

    def cut() -> None:
        with suppress(OSError, AttributeError):
            connection.socket.shutdown(SHUT_RDWR)

    timer = Timer(2 * address.timeout, cut)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()


def _verify_name(socket: Any, address: Address) -> None:
    """Hold the certificate against the one name that is meant: the library adds the one given to the host's own.

    It also takes a star for any name. Nothing has been sent to the server yet.
    """
    certificate = socket.getpeercert()
    if not is_for(certificate, address.tls_name or address.host):
        raise _for_another_name(address, names_of(certificate))


_NO_MATCH: Final = " doesn't match any name"
"""What the library says of a certificate for another name, in errors of several classes."""
_NAME_CA: Final = "Give init --ca-file FILE, or write it as ca_file into [directory] of adzeguard.toml"


@contextmanager
def errors_of_ours(address: Address) -> Iterator[None]:
    """Turn what the LDAP library and the socket raise into our own errors, the cause kept."""
    from ldap3.core.exceptions import (
        LDAPCertificateError,
        LDAPException,
        LDAPInvalidDnError,
        LDAPPasswordIsMandatoryError,
        LDAPSSLConfigurationError,
        LDAPStartTLSError,
    )
    from pyasn1.error import PyAsn1Error

    try:
        yield
    except PyAsn1Error as error:
        # Among others a name that is no UTF-8, as a server may give it, cannot be asked for.
        raise DirectoryError(f"{address.url} says or is asked what LDAP cannot say") from error
    except LDAPPasswordIsMandatoryError as error:
        raise empty_password() from error
    except LDAPCertificateError as error:
        raise _for_another_name(address, _names_told(str(error))) from error
    except LDAPSSLConfigurationError as error:
        raise SettingsError(f"the CA file '{address.ca_file}' cannot be used: {error}", _NAME_CA) from error
    except LDAPInvalidDnError as error:
        raise ChangeRefusedError(f"not a distinguished name: {error}") from error
    except TimeoutError as error:
        raise silent(address) from error
    except (LDAPStartTLSError, LDAPException, ssl.SSLError, OSError) as error:
        raise _broken(address, error) from error


def _broken(address: Address, error: Exception) -> DirectoryError | SettingsError:
    """Return what a connection that could not be made, or was lost, is in our words; many causes stand in texts."""
    text = str(error)
    # ldap3 wraps the error of a missing CA file into one of its own, with the cause in the text alone.
    if isinstance(error, FileNotFoundError) or "No such file" in text:
        return SettingsError(f"there is no CA file {address.ca_file}", _NAME_CA)
    if _NO_MATCH in text:
        return _for_another_name(address, _names_told(text))
    if "CERTIFICATE_VERIFY_FAILED" in text or "certificate verify failed" in text:
        return _certificate_refused(address, text)
    # ldap3 tells a time-out while connecting by its text too.
    kind = DirectorySilentError if "timed out" in text else DirectoryUnreachableError
    return kind(
        f"no connection to {address.url}: {_plain_cause(text)}",
        "Is the server up, and the address right?",
    )


def _names_told(text: str) -> list[str]:
    """Return the names of a certificate from the library's own error, which has the certificate in its text alone."""
    shown = text[text.find("{") :].rpartition(_NO_MATCH)[0]
    try:
        certificate = literal_eval(shown)
    except (ValueError, SyntaxError, MemoryError, RecursionError):
        return []
    return names_of(certificate) if isinstance(certificate, dict) else []


def _for_another_name(address: Address, names: Sequence[str]) -> CertificateRefusedError:
    plain = next((name for name in names if "*" not in name), "")
    return CertificateRefusedError(
        f"the certificate of {address.url} is not for {address.tls_name or address.host}"
        f"{f' but for {printable(some_of(names))}' if names else ''}",
        f"If that is the server: init --tls-name {plain}, or tls_name in [directory] of adzeguard.toml"
        if plain
        else "Give the server a certificate that names it",
    )


def _certificate_refused(address: Address, text: str) -> CertificateRefusedError:
    for sign, words in (("has expired", "has expired"), ("not yet valid", "is not valid yet")):
        if sign in text:
            return CertificateRefusedError(
                f"the certificate of {address.url} {words}", "Renew it on the server, and look at the clocks of both"
            )
    return CertificateRefusedError(
        f"the certificate of {address.url} is not signed by the CA {address.ca_file or 'of this system'}",
        _NAME_CA,
    )


def _plain_cause(text: str) -> str:
    for sign, words in (
        ("Connection refused", "connection refused"),
        ("timed out", "it did not answer in time"),
        ("Name or service not known", "there is no host of that name"),
        ("invalid server address", "there is no host of that name"),
        ("Connection reset", "the connection was cut"),
        ("terminated by server", "the server ended the session"),
        ("socket is not open", "the connection was cut"),
    ):
        if sign in text:
            return words
    return " ".join(text.split())[:160]
