"""Private keys, read from the files of OpenSSH."""

from collections.abc import Callable
from pathlib import Path
from typing import Final

from cryptography.exceptions import UnsupportedAlgorithm
from cryptography.hazmat.primitives import serialization

from adzeguard.core.errors import SignatureError
from adzeguard.signing.ssh_signature import PrivateKey

_LARGEST: Final = 64 * 1024


def read_private_key(path: Path, passphrase: Callable[[], str] | None) -> PrivateKey:
    """Read a private key; `passphrase` asks a person for what encrypts it, and there is none without a terminal."""
    try:
        if path.stat().st_mode & 0o077:
            raise SignatureError(f"others can read the private key {path}", f"Run: chmod 600 {path}")
        content = path.read_bytes()[:_LARGEST]
    except OSError as error:
        raise SignatureError(f"the private key {path} cannot be read: {error.strerror}") from error
    try:
        key = _loaded(content, None)
    except TypeError:  # what the library raises for a key that is encrypted
        if passphrase is None:
            raise SignatureError(f"{path} is encrypted, and there is no terminal to ask on", _BY_KEYGEN) from None
        try:
            key = _loaded(content, passphrase().encode())
        except (TypeError, ValueError) as error:
            raise SignatureError(f"{path} does not open with this passphrase") from error
    except (ValueError, UnsupportedAlgorithm) as error:
        raise SignatureError(f"{path} is no private key that can be used here: {error}", _BY_KEYGEN) from error
    if not isinstance(key, PrivateKey):
        raise SignatureError(f"{path} is of a kind that is not known here", "Use an Ed25519, ECDSA or RSA key")
    return key


_BY_KEYGEN: Final = (
    "Sign with: ssh-keygen -Y sign -n adzeguard-proposal -f KEY PROPOSAL, then give the result by --signature"
)


def _loaded(content: bytes, password: bytes | None) -> object:
    if b"BEGIN OPENSSH PRIVATE KEY" in content:
        return serialization.load_ssh_private_key(content, password)
    return serialization.load_pem_private_key(content, password)
