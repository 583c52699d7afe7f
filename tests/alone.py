"""Alone on the machine: a network of the tests' own, and servers that end with whoever started them."""

import ctypes
import fcntl
import os
import socket
import struct
from pathlib import Path

import pytest

_NEW_NETWORK = 0x40000000
_SET_FLAGS = 0x8914
_UP = 0x1
CACHE = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "adzeguard-tests"
"""What is dear to make and the same each time: an archive of the domain, packages for hosts of the tests."""
PACKAGES = CACHE / "packages"
ENDS_WITH_US = ("setpriv", "--pdeathsig", "KILL")
"""Before the command of a server: the kernel ends it with the process that started it, even a killed one."""


def leave_the_network() -> None:
    """Move this process into a network of its own that has loopback alone, where root may.

    A server that already runs on the machine, on the very ports that a directory server cannot do without, is not met
    there; and no test reaches anything outside.
    """
    if os.geteuid() != 0 or ctypes.CDLL(None, use_errno=True).unshare(_NEW_NETWORK) != 0:
        return
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asked:
        fcntl.ioctl(asked, _SET_FLAGS, struct.pack("16sh22x", b"lo", _UP))


def needed(why_not: str, what: str) -> None:
    """Skip what cannot be tried here, with the reason; in CI it must be, and fails."""
    if why_not and os.environ.get("CI"):
        pytest.fail(f"in CI {what} must run: {why_not}")
    if why_not:
        pytest.skip(why_not)
