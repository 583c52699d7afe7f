"""How long a host is listened to, however it doles out what it says."""

import socket
import threading
from types import SimpleNamespace
from typing import Any

import pytest

from adzeguard.core.errors import HostUnreachableError
from adzeguard.hosts.deadline import STOPPED, Deadline
from adzeguard.hosts.remote_sam.verified_smb import VerifiedSmb


def listening(seconds: float) -> tuple[Any, socket.socket]:
    """A connection that is listened to for so long, and the other end of it."""
    ours, theirs = socket.socketpair()
    smb = VerifiedSmb.__new__(VerifiedSmb)
    smb.deadline = Deadline(seconds)
    smb._NetBIOSSession = SimpleNamespace(get_socket=lambda: ours)
    return smb, theirs


def test_a_host_that_answers_a_sign_at_a_time_is_left_in_time() -> None:
    """The time is for all of it: each new sign begins no new wait."""
    smb, theirs = listening(0.3)
    done = threading.Event()

    def drip() -> None:
        while not done.wait(0.05):
            theirs.send(b"x")

    dripping = threading.Thread(target=drip)
    dripping.start()
    try:
        with pytest.raises(HostUnreachableError, match="longer than 0 seconds over its answers"):
            smb._read(4096, None)
    finally:
        done.set()
        dripping.join()


def test_what_comes_in_time_is_read_whole_and_a_closed_connection_is_told() -> None:
    """In as many parts as it comes."""
    smb, theirs = listening(30)
    theirs.send(b"ab")
    theirs.send(b"cd")
    assert smb._read(4, None) == b"abcd"
    theirs.close()
    with pytest.raises(HostUnreachableError, match="closed the connection"):
        smb._read(1, None)


def test_whoever_stops_waits_for_no_host() -> None:
    """The reader gives up at its next look."""
    smb, _theirs = listening(30)
    STOPPED.set()
    try:
        with pytest.raises(HostUnreachableError, match="somebody stopped this"):
            smb._read(1, None)
    finally:
        STOPPED.clear()
