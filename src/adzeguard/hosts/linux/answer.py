"""What the reading script prints, read with care: a host can say anything."""

import base64
import binascii
from collections.abc import Mapping
from dataclasses import dataclass

from adzeguard.core.errors import HostUnreachableError


@dataclass(frozen=True)
class Answer:
    """Files and digests by their paths, the ways for which PAM asks our file, and whether sudo reads ours."""

    files: Mapping[str, bytes]
    digests: Mapping[str, str]
    ways: frozenset[str]
    sudo: bool
    used: str = ""
    """What sudo has logged of late."""

    @classmethod
    def of(cls, out: bytes) -> "Answer":
        """Read it; `HostUnreachableError` for an answer that was cut."""
        files: dict[str, bytes] = {}
        digests: dict[str, str] = {}
        ways: set[str] = set()
        sudo = False
        used = ""
        lines = out.decode("ascii", "replace").splitlines()
        # A script that was ended half-way prints less: without its last word nothing of it is believed.
        if not lines or lines[-1] != "end":
            raise HostUnreachableError("the host gave no whole answer")
        for line in lines[:-1]:
            word, *rest = line.split(" ")
            if word == "file" and len(rest) == 2:  # noqa: PLR2004 - a path and what it holds
                files[rest[0]] = _unpacked(rest[1])
            elif word == "digest" and len(rest) == 2:  # noqa: PLR2004 - a path and its digest
                digests[rest[0]] = rest[1]
            elif word == "used" and rest:
                used = _unpacked(rest[0]).decode("utf-8", "surrogateescape")
            elif word == "pam" and rest:
                ways.add(rest[0])
            elif word == "sudo":
                sudo = True
        return cls(files, digests, frozenset(ways), sudo, used)

    def text(self, path: str) -> str:
        """Return a file as text, empty where it could not be read."""
        return self.files.get(path, b"").decode("utf-8", "surrogateescape")


def _unpacked(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError) as error:
        raise HostUnreachableError("the host gave a broken answer") from error
