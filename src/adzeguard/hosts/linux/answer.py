"""What the reading script prints, read with care: a host can say anything."""

import base64
import binascii
from collections.abc import Mapping
from typing import Final

from adzeguard.core.errors import HostUnreachableError
from adzeguard.core.values import dataclass

_PAIRS: Final = ("file", "digest")
_ONCE: Final = ("used", "seen", "name", "policy", "called", "rootkeys", "sudo", "end")


@dataclass(frozen=True)
class Answer:
    """Files and digests by their paths, the ways for which PAM asks our file, and whether sudo reads ours."""

    files: Mapping[str, bytes]
    digests: Mapping[str, str]
    ways: frozenset[str]
    sudo: bool
    used: str = ""
    """What sudo has logged of late."""
    name: str = ""
    policy: bytes | None = None
    """The lines of sudo as its own reader writes them out; None where there is no such reader."""
    root_keys: bool = False
    seen: str = ""
    """Who is logged on, and was of late."""
    called: str = ""
    """How those are called whom lines of sudo name by their numbers: `account 1001 ada`, `group 3001 divers`."""

    @classmethod
    def of(cls, out: bytes) -> "Answer":
        """Read it; `HostUnreachableError` for an answer that was cut."""
        lines = out.decode("ascii", "replace").splitlines()
        # A script that was ended half-way prints less: without its last word nothing of it is believed.
        if not lines or lines[-1] != "end":
            raise HostUnreachableError("the host gave no whole answer")
        said = [line.split(" ") for line in lines[:-1]]
        pairs = {word: dict(rest for first, *rest in said if first == word and len(rest) == 2) for word in _PAIRS}  # noqa: PLR2004
        told = [(word, rest[0]) for word, *rest in said if word in _PAIRS and rest]
        told += [(word, "") for word, *_ in said if word in _ONCE]
        # Two of one file: whichever is taken, the other may be the true one.
        if len(set(told)) < len(told) or ("end", "") in told:
            raise HostUnreachableError("the host contradicts itself: it tells of one file twice")
        single = {word: rest[0] if rest else "" for word, *rest in said if word not in _PAIRS}
        return cls(
            {path: _unpacked(content) for path, content in pairs["file"].items()},
            pairs["digest"],
            frozenset(rest[0] for word, *rest in said if word == "pam" and rest),
            "sudo" in single,
            _unpacked(single.get("used", "")).decode("utf-8", "surrogateescape"),
            single.get("name", ""),
            _unpacked(single["policy"]) if "policy" in single else None,
            "rootkeys" in single,
            _unpacked(single.get("seen", "")).decode("utf-8", "surrogateescape"),
            _unpacked(single.get("called", "")).decode("utf-8", "surrogateescape"),
        )

    def text(self, path: str) -> str:
        """Return a file as text, empty where it could not be read."""
        return self.files.get(path, b"").decode("utf-8", "surrogateescape")


@dataclass(frozen=True, slots=True)
class Program:
    """A program as it is on the host: its digest, empty where it is gone, and by what others than root may write it."""

    digest: str
    open_at: str = ""

    @classmethod
    def of(cls, line: str) -> "Program":
        """Read a line of the script that asks; `HostUnreachableError` for a broken one."""
        digest, _, at = line.partition(" ")
        return cls(digest, _unpacked(at).decode("utf-8", "backslashreplace"))


def _unpacked(text: str) -> bytes:
    try:
        return base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError) as error:
        raise HostUnreachableError("the host gave a broken answer") from error
