"""Hosts that talk without end, over SSH and here."""

import asyncio
import threading
import tracemalloc
from collections.abc import Iterator
from pathlib import Path

import asyncssh
import pytest

from adzeguard.core.errors import HostFileError
from adzeguard.hosts.linux.bounded import LONGEST_ANSWER
from adzeguard.hosts.linux.connections import Connections, Reaching
from adzeguard.hosts.linux.local import LocalShell


async def _talk(process: "asyncssh.SSHServerProcess[str]") -> None:
    script = await process.stdin.read()
    if script.startswith("short"):
        process.stdout.write("as asked\n")
        process.exit(0)
        return
    stream = process.stderr if script.startswith("complain") else process.stdout
    while not process.is_closing():
        stream.write("no end " * 8192)
        await stream.drain()


class _AnybodyWithAKey(asyncssh.SSHServer):
    def begin_auth(self, username: str) -> bool:  # noqa: ARG002 - the library's
        return False


@pytest.fixture
def talker(tmp_path: Path) -> Iterator[Connections]:
    """Connections to a server that talks without end, unless it is asked for something short."""
    key, ours = asyncssh.generate_private_key("ssh-ed25519"), asyncssh.generate_private_key("ssh-ed25519")
    ours.write_private_key(tmp_path / "key")
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()

    async def listening() -> asyncssh.SSHAcceptor:
        return await asyncssh.listen(
            "127.0.0.1", 0, server_host_keys=[key], server_factory=_AnybodyWithAKey, process_factory=_talk
        )

    server = asyncio.run_coroutine_threadsafe(listening(), loop).result(30)
    known = f"[127.0.0.1]:{server.get_port()} {key.export_public_key().decode()}"
    (tmp_path / "known").write_text(known)
    reaching = Reaching("root", str(tmp_path / "known"), server.get_port(), (str(tmp_path / "key"),))
    connections = Connections(reaching)
    try:
        yield connections
    finally:
        connections.close()
        server.close()
        asyncio.run_coroutine_threadsafe(server.wait_closed(), loop).result(30)
        loop.call_soon_threadsafe(loop.stop)
        thread.join(30)
        loop.close()


@pytest.mark.parametrize("script", [b"talk", b"complain"])
def test_a_host_that_talks_without_end_is_left(talker: Connections, script: bytes) -> None:
    """What it says or complains of is read as far as a state can reach; the next question is answered as ever."""
    tracemalloc.start()
    try:
        with pytest.raises(HostFileError, match="more than a host's state can be"):
            talker.run("127.0.0.1", script)
        assert tracemalloc.get_traced_memory()[1] < 4 * LONGEST_ANSWER
    finally:
        tracemalloc.stop()
    assert talker.run("127.0.0.1", b"short").out == b"as asked\n"


@pytest.mark.parametrize("script", [b"exec yes", b"exec yes >&2"])
def test_this_host_is_left_as_well(script: bytes) -> None:
    """A script here that prints without end is ended, and an ordinary one has all that it printed."""
    with pytest.raises(HostFileError, match="more than a host's state can be"):
        LocalShell().run(script)
    many = LocalShell().run(b"head -c 3000000 /dev/zero; echo oh >&2; exit 3")
    assert (many.code, len(many.out), many.said) == (3, 3_000_000, "oh")
    assert LocalShell().run(b"kill -9 $$").code == 137
