"""Short digests, by which what is the same is known again."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from hashlib import blake2b


def digest_begun(size: int, first: bytes = b"") -> "blake2b":
    """Return a digest of so many bytes that has taken in the first part (BLAKE2b, RFC 7693)."""
    from hashlib import blake2b  # with it comes OpenSSL, which a look at members does without

    return blake2b(first, digest_size=size)
