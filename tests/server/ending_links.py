"""Between the tool and the real server: what that lacks, links that end by themselves, as the specification has it.

Nothing else is changed on the way. A link with an end is made on the real server as any other, and taken out there in
time; who asks with the control gets what is left of it.
"""

import contextlib
import socket
import ssl
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, Self

from ldap3.protocol.rfc4511 import LDAPMessage, MessageID, ModifyResponse, ProtocolOp, SearchResultDone
from pyasn1.codec.ber.decoder import decode
from pyasn1.codec.ber.encoder import encode

from adzeguard.core.identity import fold_dn
from adzeguard.directory.ldap_link_ends import FEATURE
from adzeguard.directory.ldap_messages import BrokenAnswerError, message_end, message_kind
from tests.directory.lying import entry as entry_message
from tests.server.server import Server

SEARCH, ENTRY, DONE, MODIFY, MODIFIED = 0x63, 0x64, 0x65, 0x66, 0x67
CONTROL = b"1.2.840.113556.1.4.2309"
UNWILLING, INVALID_NAME, OK = 53, 34, 0
LEVEL = 7
ADD, DELETE = 0, 1
Link = tuple[str, str]


class EndingLinks:
    """Listens on loopback with a certificate of its own; each connection has one to the server behind it."""

    def __init__(self, server: Server, certificates: Path, *, level: int = LEVEL, on: bool = False) -> None:
        self.server = server
        self.level = level
        self.on = on
        self.ends: dict[Link, float] = {}
        self.keeps_time = True
        self.kept: dict[str, list[bytes]] = {}
        """By the folded names of groups what the directory keeps of their links, as XML."""
        self._timers: dict[Link, threading.Timer] = {}
        self._partitions = f"CN=Partitions,CN=Configuration,{server.base}"
        self._features = (
            f"CN=Optional Features,CN=Directory Service,CN=Windows NT,CN=Services,CN=Configuration,{server.base}"
        )
        self.feature = f"CN=Links With Ends,{self._features}"
        self._inner = ssl.create_default_context(cafile=str(server.ca_file))
        self._outer = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        self._outer.load_cert_chain(certificates / "cert.pem", certificates / "key.pem")
        self.ca_file = certificates / "cert.pem"
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.url = f"ldaps://127.0.0.1:{self._listener.getsockname()[1]}"
        threading.Thread(target=self._accept, daemon=True).start()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_about: object) -> None:
        self._listener.close()
        for timer in self._timers.values():
            timer.cancel()

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                client, _ = self._listener.accept()
                threading.Thread(target=self._serve, args=(client,), daemon=True).start()

    def _serve(self, plain: socket.socket) -> None:
        with contextlib.suppress(OSError), self._outer.wrap_socket(plain, server_side=True) as client:
            behind = socket.create_connection(("127.0.0.1", 636))
            with self._inner.wrap_socket(behind, server_hostname=self.server.tls_name) as server:
                conversation = _Conversation(self, client)
                threading.Thread(target=_pump, args=(server, client, conversation.answered), daemon=True).start()
                _pump(client, server, conversation.asked)

    def made(self, link: Link, seconds: int) -> None:
        """A link was made that holds so long."""
        self.gone(link)
        self.ends[link] = time.monotonic() + seconds
        if self.keeps_time:
            self._timers[link] = threading.Timer(seconds, self._end, (link,))
            self._timers[link].start()

    def gone(self, link: Link) -> None:
        """A link is gone, and its end with it."""
        self.ends.pop(link, None)
        timer = self._timers.pop(link, None)
        if timer is not None:
            timer.cancel()

    def end_all(self) -> None:
        """End every link that has an end, as time does."""
        for link, timer in list(self._timers.items()):
            timer.cancel()
            self._end(link)

    def _end(self, link: Link) -> None:
        group, member = link
        self.ends.pop(link, None)
        self.server.change(f"dn: {group}\nchangetype: modify\ndelete: member\nmember: {member}")

    def search_of_its_own(self, number: int, base: str, message: bytes) -> Iterator[bytes] | None:
        """The one search that the server behind cannot answer: for the feature."""
        if fold_dn(base) != fold_dn(self._features):
            return None
        found = FEATURE.bytes_le in message
        level = {"msDS-RequiredForestBehaviorVersion": [str(LEVEL).encode()]}
        return iter(
            ([entry_message(number, self.feature, level)] if found else []) + [_result(number, SearchResultDone, OK)]
        )


class _Conversation:
    """One connection: which answers are to be changed on their way back."""

    def __init__(self, links: EndingLinks, client: ssl.SSLSocket) -> None:
        self._links = links
        self._client = client
        self._with_ends: set[int] = set()
        self._of_the_forest: set[int] = set()
        self._waiting: dict[int, list[Callable[[], None]]] = {}

    def asked(self, message: bytes) -> bytes:
        """Return what the server is asked; nothing where the answer is given here."""
        number, operation, _ = message_kind(message)
        if operation not in (SEARCH, MODIFY):
            return message
        if operation == MODIFY:
            return self._modify(number, message)
        base = _base(message)
        answers = self._links.search_of_its_own(number, base, message)
        if answers is not None:
            self._client.sendall(b"".join(answers))
            return b""
        if fold_dn(base) == fold_dn(self._links._partitions) and b"msDS-EnabledFeature" in message:
            self._of_the_forest.add(number)
        if b"msDS-ReplValueMetaData" in message and fold_dn(base) in self._links.kept:
            pieces = {"msDS-ReplValueMetaData": self._links.kept[fold_dn(base)]}
            answer = entry_message(number, base, pieces) + _result(number, SearchResultDone, OK)
            self._client.sendall(answer)
            return b""
        if CONTROL not in message:
            return message
        self._with_ends.add(number)
        return _without_control(message)

    def _modify(self, number: int, message: bytes) -> bytes:
        parsed = decode(message, asn1Spec=LDAPMessage())[0]
        asked = parsed["protocolOp"].getComponent()
        group = bytes(asked["object"]).decode()
        then: list[Callable[[], None]] = []
        for change in asked["changes"]:
            held = change["modification"]
            name, values = bytes(held["type"]).decode().lower(), [bytes(value) for value in held["vals"]]
            if not group and name == "enableoptionalfeature":
                return self._switch_on(number, values)
            if name != "member":
                continue
            for place, value in enumerate(values):
                seconds, member = _parted(value)
                link = (fold_dn(group), fold_dn(member))
                if seconds is not None and not self._links.on:
                    return self._answer(number, INVALID_NAME)
                if seconds is not None:
                    held["vals"][place] = member.encode()
                    then.append(lambda link=link, seconds=seconds: self._links.made(link, seconds))
                elif int(change["operation"]) == DELETE:
                    then.append(lambda link=link: self._links.gone(link))
        self._waiting[number] = then
        return bytes(encode(parsed)) if then else message

    def _switch_on(self, number: int, values: list[bytes]) -> bytes:
        right = [f"{self._links._partitions}:{FEATURE}".lower()]
        if [value.decode().lower() for value in values] != right or self._links.level < LEVEL or self._links.on:
            return self._answer(number, UNWILLING)
        self._links.on = True
        return self._answer(number, OK)

    def _answer(self, number: int, code: int) -> bytes:
        self._client.sendall(_result(number, ModifyResponse, code))
        return b""

    def answered(self, message: bytes) -> bytes:
        """Return what the tool is told."""
        number, operation, _ = message_kind(message)
        if operation == MODIFIED and number in self._waiting:
            then = self._waiting.pop(number)
            parsed = decode(message, asn1Spec=LDAPMessage())[0]
            if int(parsed["protocolOp"].getComponent()["resultCode"]) == OK:
                for step in then:
                    step()
        elif operation == ENTRY and (number in self._with_ends or number in self._of_the_forest):
            return self._changed_entry(number, message)
        return message

    def _changed_entry(self, number: int, message: bytes) -> bytes:
        found = decode(message, asn1Spec=LDAPMessage())[0]["protocolOp"].getComponent()
        dn = bytes(found["object"]).decode()
        attributes = {
            bytes(one["type"]).decode(): [bytes(value) for value in one["vals"]] for one in found["attributes"]
        }
        if number in self._of_the_forest:
            attributes = {k: v for k, v in attributes.items() if k.lower() != "msds-behavior-version"}
            attributes["msDS-Behavior-Version"] = [str(self._links.level).encode()]
            if self._links.on:
                attributes["msDS-EnabledFeature"] = [self._links.feature.encode()]
        for name in attributes:
            if name.lower().partition(";")[0] == "member" and number in self._with_ends:
                attributes[name] = [self._with_end(dn, value) for value in attributes[name]]
        return entry_message(number, dn, attributes)

    def _with_end(self, group: str, value: bytes) -> bytes:
        end = self._links.ends.get((fold_dn(group), fold_dn(value.decode())))
        return value if end is None else b"<TTL=%d,%b>" % (max(0, round(end - time.monotonic())), value)


def _parts(message: bytes, at: int, end: int) -> Iterator[tuple[int, int, int]]:
    """Yield where each element begins, where its content does, and where it ends (X.690 section 8.1.3)."""
    while at < end:
        first = message[at + 1]
        octets = first & 0x7F if first & 0x80 else 0
        length = int.from_bytes(message[at + 2 : at + 2 + octets]) if octets else first
        content = at + 2 + octets
        yield at, content, content + length
        at = content + length


def _base(message: bytes) -> str:
    [(_, inside, end)] = _parts(message, 0, len(message))
    _, (_, search, search_end), *_ = _parts(message, inside, end)
    _, begin, stop = next(_parts(message, search, search_end))
    return message[begin:stop].decode()


def _without_control(message: bytes) -> bytes:
    """A filter cannot be decoded by the library that encoded it; so the message is taken apart by hand."""
    [(_, inside, end)] = _parts(message, 0, len(message))
    number, search, controls = _parts(message, inside, end)
    kept = [message[a:b] for a, _, b in _parts(message, controls[1], controls[2]) if CONTROL not in message[a:b]]
    asked = message[number[0] : search[2]]
    return _element(0x30, asked + (_element(0xA0, b"".join(kept)) if kept else b""))


def _element(tag: int, content: bytes) -> bytes:
    length = len(content).to_bytes(4)
    return bytes([tag, 0x84]) + length + content


def _parted(value: bytes) -> tuple[int | None, str]:
    """Part a link as it is written into how long it holds, if it says so, and whom it names."""
    text = value.decode()
    if not text.startswith("<TTL=") or not text.endswith(">"):
        return None, text
    seconds, _, name = text[5:-1].partition(",")
    return int(seconds), name


def _result(number: int, kind: type[Any], code: int) -> bytes:
    result = kind()
    result["resultCode"], result["matchedDN"], result["diagnosticMessage"] = code, b"", b""
    message = LDAPMessage()
    message["messageID"] = MessageID(number)
    message["protocolOp"] = ProtocolOp().setComponentByName(
        "searchResDone" if kind is SearchResultDone else "modifyResponse", result
    )
    return bytes(encode(message))


def _pump(source: ssl.SSLSocket, to: ssl.SSLSocket, through: Callable[[bytes], bytes]) -> None:
    """Hand messages on, each as a whole, until either side has gone."""
    buffer = bytearray()
    # Of a connection that the other thread has closed Python hands on what came as it came: no messages any more.
    with contextlib.suppress(OSError, BrokenAnswerError):
        while chunk := source.recv(65536):
            buffer += chunk
            while (end := message_end(buffer, 0)) is not None:
                message = bytes(buffer[:end])
                del buffer[:end]
                handed = through(message)
                if handed:
                    to.sendall(handed)
    for side in (source, to):
        with contextlib.suppress(OSError):
            side.shutdown(socket.SHUT_RDWR)
