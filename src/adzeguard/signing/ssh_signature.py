"""Signatures in the form of OpenSSH (its PROTOCOL.sshsig), over any bytes.

What is made here is read by `ssh-keygen -Y verify`, and what `ssh-keygen -Y sign` makes, with an agent or a key on
hardware too, is read here.
"""

import base64
import binascii
import hashlib
import struct
from collections.abc import Callable
from typing import Final

from cryptography.exceptions import InvalidSignature, UnsupportedAlgorithm
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec, ed25519, padding, rsa
from cryptography.hazmat.primitives.asymmetric.utils import decode_dss_signature, encode_dss_signature

from adzeguard.core.errors import SignatureError
from adzeguard.core.values import dataclass

PROPOSAL: Final = "adzeguard-proposal"
SEAL: Final = "adzeguard-seal"
"""What a signature is for: one for another purpose, such as one under a commit, is none here."""
_MAGIC: Final = b"SSHSIG"
_BEGIN: Final = "-----BEGIN SSH SIGNATURE-----"
_END: Final = "-----END SSH SIGNATURE-----"
_LONGEST: Final = 64 * 1024
_LINE: Final = 70
_HASHES: Final = {b"sha256": hashlib.sha256, b"sha512": hashlib.sha512}
_RSA: Final[dict[bytes, hashes.HashAlgorithm]] = {b"rsa-sha2-256": hashes.SHA256(), b"rsa-sha2-512": hashes.SHA512()}
"""The old ssh-rsa, over SHA-1, is taken from nobody."""
_SHORTEST_RSA: Final = 2048
_CURVES: Final[dict[str, tuple[bytes, hashes.HashAlgorithm]]] = {
    "secp256r1": (b"ecdsa-sha2-nistp256", hashes.SHA256()),
    "secp384r1": (b"ecdsa-sha2-nistp384", hashes.SHA384()),
    "secp521r1": (b"ecdsa-sha2-nistp521", hashes.SHA512()),
}
PublicKey = ed25519.Ed25519PublicKey | rsa.RSAPublicKey | ec.EllipticCurvePublicKey
PrivateKey = ed25519.Ed25519PrivateKey | rsa.RSAPrivateKey | ec.EllipticCurvePrivateKey


@dataclass(frozen=True, slots=True)
class SshSignature:
    """A signature as it was read: by which key, for what, and over which hash."""

    key: bytes
    """The public key, as RFC 4253 section 6.6 writes it."""
    namespace: str
    hash_name: bytes
    signature: bytes

    @property
    def fingerprint(self) -> str:
        """The key's fingerprint, as ssh-keygen -l shows it."""
        return f"SHA256:{base64.b64encode(hashlib.sha256(self.key).digest()).decode().rstrip('=')}"


def sign(content: bytes, key: PrivateKey, purpose: str = PROPOSAL) -> str:
    """Return a signature over bytes."""
    public = blob_of(key.public_key())
    to_sign = _signed(purpose.encode(), b"sha512", hashlib.sha512(content).digest())
    if isinstance(key, ed25519.Ed25519PrivateKey):
        name, value = b"ssh-ed25519", key.sign(to_sign)
    elif isinstance(key, rsa.RSAPrivateKey):
        name, value = b"rsa-sha2-512", key.sign(to_sign, padding.PKCS1v15(), hashes.SHA512())
    else:
        name, algorithm = _CURVES[key.curve.name]
        r, s = decode_dss_signature(key.sign(to_sign, ec.ECDSA(algorithm)))
        value = _string(_number(r)) + _string(_number(s))
    parts = (public, purpose.encode(), b"", b"sha512", _string(name) + _string(value))
    whole = _MAGIC + struct.pack(">I", 1) + b"".join(map(_string, parts))
    text = base64.b64encode(whole).decode()
    lines = [text[start : start + _LINE] for start in range(0, len(text), _LINE)]
    return "\n".join([_BEGIN, *lines, _END, ""])


def read_signature(text: str) -> SshSignature:
    """Read a signature; `SignatureError` for what is none."""
    begin, end = text.find(_BEGIN), text.find(_END)
    if len(text) > _LONGEST or begin < 0 or end < begin:
        raise SignatureError("there is no SSH signature")
    try:
        whole = base64.b64decode("".join(text[begin + len(_BEGIN) : end].split()), validate=True)
        if whole[:6] != _MAGIC or whole[6:10] != struct.pack(">I", 1):
            raise SignatureError("it is no SSH signature of version 1")
        rest = whole[10:]
        parts = []
        for _ in range(5):
            part, rest = _taken(rest)
            parts.append(part)
        key, namespace, _reserved, hash_name, signature = parts
        if rest:
            raise SignatureError("there is more behind the SSH signature")
        return SshSignature(key, namespace.decode(), hash_name, signature)
    except (binascii.Error, ValueError, struct.error) as error:
        raise SignatureError(f"the SSH signature cannot be read: {error}") from error


def verify(content: bytes, signature: SshSignature, purpose: str = PROPOSAL) -> None:
    """Return quietly where the signature is by its key over these bytes; `SignatureError` where it is not."""
    if signature.namespace != purpose:
        raise SignatureError(f"the signature is for '{signature.namespace}', not for '{purpose}'")
    hasher = _HASHES.get(signature.hash_name)
    if hasher is None:
        raise SignatureError("the signature is over an unknown hash")
    digest = hasher(content).digest()
    try:
        name, rest = _taken(signature.signature)
        value, rest = _taken(rest)
        key = _public(signature.key)
        _check(key, name)(value, _signed(purpose.encode(), signature.hash_name, digest))
    except InvalidSignature as error:
        raise SignatureError("the signature is not over this content") from error
    except (ValueError, struct.error, UnsupportedAlgorithm) as error:
        raise SignatureError(f"the signature cannot be checked: {error}") from error
    if rest:
        raise SignatureError("there is more behind the signature")


def _check(key: PublicKey, name: bytes) -> Callable[[bytes, bytes], None]:
    """Return what raises `InvalidSignature` where a value is no signature of the key over some bytes."""
    if isinstance(key, ed25519.Ed25519PublicKey) and name == b"ssh-ed25519":
        return key.verify
    if isinstance(key, rsa.RSAPublicKey) and name in _RSA:
        if key.key_size < _SHORTEST_RSA:
            raise ValueError(f"an RSA key of {key.key_size} bits is too short")
        return lambda value, signed: key.verify(value, signed, padding.PKCS1v15(), _RSA[name])
    if isinstance(key, ec.EllipticCurvePublicKey) and _CURVES.get(key.curve.name, (b"",))[0] == name:
        algorithm = _CURVES[key.curve.name][1]

        def check(value: bytes, signed: bytes) -> None:
            r, rest = _taken(value)
            s, rest = _taken(rest)
            if rest:
                raise InvalidSignature
            both = encode_dss_signature(int.from_bytes(r, "big"), int.from_bytes(s, "big"))
            key.verify(both, signed, ec.ECDSA(algorithm))

        return check
    raise ValueError("its kind of key is not known here; Ed25519, ECDSA and RSA are")


def _public(blob: bytes) -> PublicKey:
    kind, _ = _taken(blob)
    key = serialization.load_ssh_public_key(kind + b" " + base64.b64encode(blob))
    if not isinstance(key, PublicKey):
        raise ValueError("its kind of key is not known here; Ed25519, ECDSA and RSA are")  # noqa: TRY004 - said above
    return key


def blob_of(key: PublicKey) -> bytes:
    """Return a public key as RFC 4253 section 6.6 writes it."""
    text = key.public_bytes(serialization.Encoding.OpenSSH, serialization.PublicFormat.OpenSSH)
    return base64.b64decode(text.split()[1])


def _signed(namespace: bytes, hash_name: bytes, digest: bytes) -> bytes:
    return _MAGIC + b"".join(map(_string, (namespace, b"", hash_name, digest)))


def _string(value: bytes) -> bytes:
    return struct.pack(">I", len(value)) + value


def _number(value: int) -> bytes:
    """Return a number as RFC 4251 section 5 writes one: a first bit that is set would make it negative."""
    return value.to_bytes(value.bit_length() // 8 + 1, "big")


def _taken(data: bytes) -> tuple[bytes, bytes]:
    (length,) = struct.unpack(">I", data[:4])
    if length > len(data) - 4:
        raise ValueError("it is cut short")
    return data[4 : 4 + length], data[4 + length :]
