"""SMB whose answers are verified: the library signs what it sends, and believes every answer.

Without this, somebody in between could say that a host has no administrators ([MS-SMB2] 3.2.5.1.3: a client verifies
the signature of each answer where the session is signed, 3.3.4.1.1 says how it is made).
"""

import hmac
from hashlib import sha256
from typing import Any, Final

from Cryptodome.Cipher import AES
from impacket import crypto, smb3
from impacket.nt_errors import STATUS_PENDING
from impacket.smb3structs import (
    SMB2_DIALECT_002,
    SMB2_DIALECT_21,
    SMB2_FLAGS_SIGNED,
    SMB2_SESSION_FLAG_ENCRYPT_DATA,
    SMB2_TRANSFORM_HEADER,
    SMB2Packet,
)

from adzeguard.core.errors import HostUnreachableError
from adzeguard.hosts.deadline import Deadline

_WHOLE: Final = 90.0
"""Seconds for all that is read of a host, or for one change: a large one takes ten."""
_ENCRYPTED: Final = b"\xfdSMB"
_SIGNATURE: Final = slice(48, 64)  # [MS-SMB2] 2.2.1.2
_HEADER_SIZE: Final = 64
_NONCE_SIZE: Final = 11  # of AES-CCM, [MS-SMB2] 2.2.41


class VerifiedSmb(smb3.SMB3):  # type: ignore[misc]
    """A connection on which every answer after the login is signed or encrypted, and is verified."""

    def negotiateSession(self, *arguments: Any, **named: Any) -> Any:  # noqa: N802 - the library's name
        """Agree on a dialect, with signing required even if the host does not ask for it.

        The library waits anew for each part of an answer. Here everything is read until one moment: seen with a host
        that took eight seconds over each answer, and gave them for ever.
        """
        self.deadline = Deadline(_WHOLE)
        self._NetBIOSSession.read_function = self._read
        self.RequireMessageSigning = True
        agreed = super().negotiateSession(*arguments, **named)
        self._Connection["RequireSigning"] = True
        return agreed

    def _read(self, length: int, timeout: float | None) -> bytes:
        """Return so many bytes of what comes; `timeout` is for how long nothing at all may come."""
        sock, whole = self._NetBIOSSession.get_socket(), bytearray()
        silence = Deadline(timeout or _WHOLE)
        while len(whole) < length:
            sock.settimeout(min(self.deadline.slice(), silence.slice()))
            try:
                part = sock.recv(length - len(whole))
            except TimeoutError:
                continue
            silence.begin()
            if not part:
                raise HostUnreachableError("the host closed the connection")
            whole += part
        return bytes(whole)

    def recvSMB(self, packetID: int | None = None) -> SMB2Packet:  # noqa: N802, N803 - the library's name
        """Return the answer to a message; `HostUnreachableError` for one that is not what the host has sent."""
        waiting = self._Connection["OutstandingResponses"]
        while packetID not in waiting:
            packet = self._opened(self._NetBIOSSession.recv_packet(self._timeout).get_trailer())
            if packet["Status"] == STATUS_PENDING:
                continue  # says only that the answer will come, and is never signed
            if packetID is None or packet["MessageID"] == packetID:
                if self._Connection["Dialect"] and self._Connection["Dialect"] > SMB2_DIALECT_002:
                    self._Connection["SequenceWindow"] += packet["CreditCharge"] - 1
                return packet
            waiting[packet["MessageID"]] = packet
        return waiting.pop(packetID)

    def _opened(self, raw: bytes) -> SMB2Packet:
        session = self._Session
        if raw.startswith(_ENCRYPTED):
            return SMB2Packet(self._decrypted(raw))
        if len(raw) < _HEADER_SIZE:
            raise HostUnreachableError("the host gave a broken answer")
        packet = SMB2Packet(raw)
        if packet["Status"] == STATUS_PENDING or not session["SigningActivated"]:
            return packet
        if session["SessionFlags"] & SMB2_SESSION_FLAG_ENCRYPT_DATA:
            raise HostUnreachableError(
                "an answer came in the clear on an encrypted connection: somebody meddles with it"
            )
        unsigned = raw[: _SIGNATURE.start] + bytes(16) + raw[_SIGNATURE.stop :]
        if not packet["Flags"] & SMB2_FLAGS_SIGNED or not hmac.compare_digest(self._sign(unsigned), raw[_SIGNATURE]):
            raise HostUnreachableError("an answer is not signed by the host: somebody meddles with the connection")
        return packet

    def _sign(self, unsigned: bytes) -> bytes:
        session = self._Session
        if self._Connection["Dialect"] in (SMB2_DIALECT_002, SMB2_DIALECT_21):
            return hmac.new(session["SessionKey"], unsigned, sha256).digest()[:16]
        return bytes(crypto.AES_CMAC(session["SigningKey"], unsigned, len(unsigned)))

    def _decrypted(self, raw: bytes) -> bytes:
        size = len(SMB2_TRANSFORM_HEADER())
        header = SMB2_TRANSFORM_HEADER(raw[:size])
        cipher = AES.new(self._Session["DecryptionKey"], AES.MODE_CCM, header["Nonce"][:_NONCE_SIZE])
        cipher.update(header.getData()[20:])
        try:
            plain = cipher.decrypt_and_verify(raw[size:], header["Signature"])
        except ValueError as error:
            raise HostUnreachableError(
                "an answer was not encrypted by the host: somebody meddles with the connection"
            ) from error
        return bytes(plain)
