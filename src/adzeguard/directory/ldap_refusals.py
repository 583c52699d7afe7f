"""What a directory server refuses, or leaves unanswered, in our words: the same by each connection."""

from typing import Final

from adzeguard.core.errors import CredentialsRefusedError, DirectorySilentError, DirectoryUnreachableError
from adzeguard.directory.ldap_address import Address

_RESULT_NAMES: Final = {
    1: "operations error",
    8: "the server wants an encrypted connection",
    11: "a limit of the server was reached",
    3: "the server's time limit was reached",
    16: "no such attribute value",
    19: "a constraint of the directory forbids it",
    20: "the value stands there already",
    32: "there is no such object",
    34: "not a distinguished name",
    50: "insufficient access rights",
    51: "the server is busy",
    52: "the server is unavailable",
    53: "the server is unwilling to perform it",
    65: "the schema forbids it",
    66: "the object is not empty",
    68: "it exists already",
}


def reason(code: int, diagnostic: str) -> str:
    """Return what a result code means, with what the server says of it."""
    said = " ".join(diagnostic.split())[:200]
    name = _RESULT_NAMES.get(code, f"LDAP result {code}")
    return f"{name} ({said})" if said else name


def not_accepted(address: Address, bind_as: str) -> CredentialsRefusedError:
    """Return the error for a name and a password that the server does not take."""
    return CredentialsRefusedError(
        f"{address.url} does not accept the name '{bind_as}' with this password",
        "Check --bind-as and the password (file, ADZEGUARD_PASSWORD, keyring)",
    )


def empty_password() -> CredentialsRefusedError:
    """Return the error for no password: a server takes that for nobody, and says yes (RFC 4513 section 5.1.2)."""
    return CredentialsRefusedError("the password is empty", "Give it in a file, ADZEGUARD_PASSWORD or the keyring")


def wants_encryption(address: Address) -> DirectoryUnreachableError:
    """Return the error for a server that takes no password in the clear."""
    return DirectoryUnreachableError(f"{address.url} wants an encrypted connection", "Use ldaps:// or --start-tls")


def silent(address: Address) -> DirectorySilentError:
    """Return the error for a server that was waited for in vain."""
    return DirectorySilentError(
        f"{address.url} did not answer within {address.timeout} seconds",
        "Is the server overloaded, or the wrong one?",
    )
