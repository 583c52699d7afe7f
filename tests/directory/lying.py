"""A directory server that lies: it speaks LDAP as far as it must to be believed, and then does as it is told."""

import contextlib
import socket
import ssl
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from types import TracebackType
from typing import Any, Self

from ldap3.protocol.rfc4511 import (
    BindResponse,
    LDAPMessage,
    MessageID,
    PartialAttribute,
    PartialAttributeList,
    ProtocolOp,
    SearchResultDone,
    SearchResultEntry,
    SearchResultReference,
    Vals,
)
from pyasn1.codec.ber.encoder import encode
from pyasn1.type.univ import OctetString

from adzeguard.directory.ldap_messages import message_end, message_kind

BIND, SEARCH = 0x60, 0x63
BASE = "DC=lowmere,DC=example"
SID = bytes.fromhex("010400000000000515000000230e4eabcf644244c53fbcc4")
Lie = Callable[["Lying", int, str], Iterator[bytes] | None]
"""What is answered to a search for a base, with the number of the question; nothing for what an honest server says."""


class Lying:
    """Listens on loopback. `lie` answers searches, `bind` is what it answers to a bind, dripped where that is asked."""

    def __init__(
        self, lie: Lie, *, bind: bytes | None = None, drip: float = 0, tls: ssl.SSLContext | None = None
    ) -> None:
        self._lie = lie
        self._tls = tls
        self.binds = 0
        self._bind = bind
        self._drip = drip
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.url = f"{'ldaps' if tls else 'ldap'}://127.0.0.1:{self._listener.getsockname()[1]}"
        self._over = threading.Event()
        threading.Thread(target=self._accept, daemon=True).start()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, _kind: type[BaseException] | None, _error: BaseException | None, _at: TracebackType | None
    ) -> None:
        self._over.set()
        self._listener.close()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                client, _ = self._listener.accept()
                threading.Thread(target=self._serve, args=(client,), daemon=True).start()

    def _serve(self, client: socket.socket) -> None:
        buffer = bytearray()
        with (
            contextlib.suppress(OSError),
            self._tls.wrap_socket(client, server_side=True) if self._tls else client as spoken,
        ):
            while chunk := spoken.recv(65536):
                buffer += chunk
                while (end := message_end(buffer, 0)) is not None:
                    message = bytes(buffer[:end])
                    del buffer[:end]
                    for answer in self._answers(message):
                        self._send(spoken, answer)

    def _send(self, client: socket.socket, answer: bytes) -> None:
        if not self._drip:
            client.sendall(answer)
            return
        for byte in answer:
            if self._over.wait(self._drip):
                return
            client.sendall(bytes([byte]))

    def _answers(self, message: bytes) -> Iterator[bytes]:
        number, operation, at = message_kind(message)
        if operation == BIND:
            self.binds += 1
            yield self._bind if self._bind is not None else bound(number)
        elif operation == SEARCH:
            at += 2 + (message[at + 1] & 0x7F if message[at + 1] & 0x80 else 0)
            base = message[at + 2 : at + 2 + message[at + 1]].decode("utf-8", "replace")
            lies = self._lie(self, number, base)
            yield from lies if lies is not None else honest(number, base)

    def waiting(self) -> Iterator[bytes]:
        """Say nothing until the test is over."""
        self._over.wait(60)
        yield from ()


def honest(number: int, base: str, **other: Sequence[bytes]) -> Iterator[bytes]:
    """What a server says of itself and of a domain without objects; `other` replaces attributes."""
    known: dict[str, dict[str, Sequence[bytes]]] = {
        "": {
            "defaultNamingContext": [BASE.encode()],
            "configurationNamingContext": [f"CN=Configuration,{BASE}".encode()],
            "highestCommittedUSN": [b"7"],
            "dsServiceName": [b"CN=NTDS"],
        },
        BASE: {"objectClass": [b"domainDNS"], "objectSid": [SID], "objectGUID": [b"\1" * 16]},
        "CN=NTDS": {"invocationId": [b"\2" * 16]},
    }
    if base in known:
        yield entry(number, base, known[base] | {k: v for k, v in other.items() if k in known[base] or base == BASE})
    yield done(number)


def entry(number: int, dn: str, attributes: Mapping[str, Sequence[bytes]]) -> bytes:
    """One entry of a search."""
    listed = PartialAttributeList()
    for place, (name, values) in enumerate(attributes.items()):
        held = Vals()
        held.extend(values)
        part = PartialAttribute()
        part["type"], part["vals"] = name, held
        listed[place] = part
    found = SearchResultEntry()
    found["object"], found["attributes"] = dn, listed
    return _message(number, "searchResEntry", found)


def done(number: int, cookie: bytes | None = None) -> bytes:
    """The end of a search, or of a page of it where there is a cookie."""
    end = SearchResultDone()
    end["resultCode"], end["matchedDN"], end["diagnosticMessage"] = 0, b"", b""
    plain = _message(number, "searchResDone", end)
    if cookie is None:
        return plain
    value = encode(
        OctetString(b"\x30" + bytes([5 + len(cookie)]) + b"\x02\x01\x00\x04" + bytes([len(cookie)]) + cookie)
    )
    control = encode(OctetString(b"1.2.840.113556.1.4.319")) + value
    controls = b"\xa0" + bytes([len(control) + 2]) + b"\x30" + bytes([len(control)]) + control
    body = plain[2:] + controls
    return b"\x30" + bytes([len(body)]) + body


def reference(number: int) -> bytes:
    """A referral in the middle of a search."""
    elsewhere = SearchResultReference()
    elsewhere.extend([b"ldap://elsewhere.example/"])
    return _message(number, "searchResRef", elsewhere)


def bound(number: int, code: int = 0) -> bytes:
    """The answer to a bind."""
    answer = BindResponse()
    answer["resultCode"], answer["matchedDN"], answer["diagnosticMessage"] = code, b"", b""
    return _message(number, "bindResponse", answer)


def _message(number: int, operation: str, content: Any) -> bytes:
    message = LDAPMessage()
    message["messageID"] = MessageID(number)
    held = ProtocolOp()
    held[operation] = content
    message["protocolOp"] = held
    return encode(message)


def seconds() -> float:
    """A clock to hold a test against."""
    return time.monotonic()


class Halving:
    """Stands before a server and passes everything on; once told so, no more than seven bytes of what it answers."""

    def __init__(self, url: str) -> None:
        self._beyond = int(url.rpartition(":")[2])
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.url = f"ldaps://127.0.0.1:{self._listener.getsockname()[1]}"
        self._halved = False
        threading.Thread(target=self._accept, daemon=True).start()

    def halve(self) -> None:
        """From now on."""
        self._halved = True

    def close(self) -> None:
        """Listen no more."""
        self._listener.close()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            client, _ = self._listener.accept()
            server = socket.create_connection(("127.0.0.1", self._beyond))
            threading.Thread(target=self._pass_on, args=(client, server), daemon=True).start()
            while chunk := server.recv(65536):
                client.sendall(chunk[:7] if self._halved else chunk)
                if self._halved:
                    break

    @staticmethod
    def _pass_on(client: socket.socket, server: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while chunk := client.recv(65536):
                server.sendall(chunk)
