"""How something is run on a Linux host: a constant script with quoted arguments, on the standard input of its shell.

What is asked for never stands in a command line: that of the connection is always the same, for any login shell that
parses it, and the script is parsed by /bin/sh, whose quotes are known (POSIX.1-2017, Shell Command Language 2.2.2).
"""

import shlex
from collections.abc import Sequence
from typing import Final, Protocol

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.values import dataclass

COMMAND: Final = ("/bin/sh", "-s")
_WARNING: Final = "unable to resolve host"
AS_ROOT: Final = ("sudo", "-n", "--", *COMMAND)


@dataclass(frozen=True, slots=True)
class Ran:
    """What a script came to."""

    code: int
    out: bytes
    said: str


def refusal_of_sudo(code: int, said: str) -> str:
    """Return what sudo says for a no; an empty text if it ran what it was given, whatever came of that.

    It warns of a host name that it cannot resolve, and goes on all the same.
    """
    own = [line for line in said.splitlines() if line.startswith("sudo:") and _WARNING not in line]
    return own[-1] if code == 1 and own else ""


def without_warnings(said: str) -> str:
    """Return what was said less sudo's warnings."""
    lines = [line for line in said.splitlines() if not (line.startswith("sudo:") and _WARNING in line)]
    return "\n".join(lines).strip()


class Shell(Protocol):
    """A host on which scripts are run as root."""

    account: str
    """The account that is used, whom nothing may lock out."""

    def run(self, script: bytes) -> Ran:
        """Run a script with /bin/sh; `HostUnreachableError` where the host does not answer."""


def with_arguments(script: str, arguments: Sequence[str]) -> bytes:
    """Return a script that finds the arguments as its own, with any content.

    `HostRefusedError` for one with a NUL, which no argument can hold.
    """
    if any("\0" in argument for argument in arguments):
        raise HostRefusedError("a value with a NUL byte cannot be given to a host")
    quoted = " ".join(shlex.quote(argument) for argument in arguments)
    return f"set -- {quoted}\n{script}".encode("utf-8", "surrogateescape")
