"""Hosts over SSH that lie: none is believed, none holds us, and each ends in a sentence."""

import asyncio
import threading
import tracemalloc
from base64 import b64encode
from collections.abc import Awaitable, Callable, Iterator
from pathlib import Path
from time import monotonic

import asyncssh
import pytest

from adzeguard.core.drivers import NoNames
from adzeguard.core.errors import AdzeguardError
from adzeguard.hosts.linux import connections
from adzeguard.hosts.linux.bounded import LONGEST_ANSWER
from adzeguard.hosts.linux.connections import Connections, Reaching
from adzeguard.hosts.linux.session import Habits, LinuxSession
from adzeguard.hosts.linux.ssh import SshShell
from tests.long_tests import part_of

FILES = {
    "/etc/machine-id": "0123456789abcdef0123456789abcdef\n",
    "/etc/passwd": "root:x:0:0::/root:/bin/sh\ncleo:x:1000:1000::/home/cleo:/bin/sh\n",
    "/etc/group": "root:x:0:\nsudo:x:27:cleo\n",
    "/etc/shadow": "root:!:1::::::\ncleo:x:1::::::\n",
}


def line(path: str, content: str | None = None) -> str:
    """How the reading script prints a file."""
    return f"file {path} {b64encode((FILES[path] if content is None else content).encode()).decode()}\n"


def honest(**other: str) -> str:
    """A whole answer; `other` is the content of files by the last part of their names."""
    files = "".join(line(path, other.get(path.rpartition("/")[2].replace("-", "_"))) for path in FILES)
    return f"{files}used \nname quay\nsudo\nend\n"


Process = asyncssh.SSHServerProcess
Behave = Callable[["Process[str]"], Awaitable[None]]


def says(text: str, code: int = 0) -> Behave:
    """Print something, and end."""

    async def behave(process: "Process[str]") -> None:
        await process.stdin.read()
        process.stdout.write(text)
        process.exit(code)

    return behave


async def drip(process: "Process[str]") -> None:
    """One sign after the other, for ever."""
    while not process.is_closing():
        process.stdout.write("f")
        await asyncio.sleep(0.01)


async def nothing(process: "Process[str]") -> None:
    """Take what is said, and never answer."""
    await process.wait_closed()


async def cut(process: "Process[str]") -> None:
    """Close the connection in the middle of a whole answer."""
    await process.stdin.read()
    process.stdout.write(honest()[:200])
    process.channel.get_connection().abort()


LIES: dict[str, Behave] = {
    "nothing at all": says(""),
    "nothing but the end": says("end\n"),
    "an error without a word": says("", 1),
    "a whole answer with an error": says(honest(), 3),
    "half an answer": says(honest()[: len(honest()) // 2]),
    "an answer without its end": says(honest().replace("end\n", "")),
    "more behind the end": says(honest() + "file /etc/group Zm9v\n"),
    "two ends": says(honest().replace("name", "end\nname")),
    "one file twice": says(honest().replace("used", line("/etc/group", "sudo:x:27:\n") + "used")),
    "no accounts": says(honest(passwd="")),
    "no groups": says(honest(group="")),
    "no file of groups": says(honest().replace(line("/etc/group"), "")),
    "no machine id": says(honest(machine_id="\n")),
    "accounts that are none": says(honest(passwd="root\n:::\nx:y:z:0::/:/bin/sh\n")),
    "a number of five thousand digits": says(honest(passwd=f"root:x:{'9' * 5000}:0::/:/bin/sh\n")),
    "what is no base64": says(honest().replace(line("/etc/passwd"), "file /etc/passwd !!!!\n")),
    "bytes that are no text": says(honest().replace("file /etc/passwd", "file \u2028\x00\x1b[2J")),
    "one line of five million signs": says("f" * 5_000_000),
    "one sign after the other": drip,
    "never a word": nothing,
    "a connection that is cut": cut,
}


@pytest.fixture
def speak(tmp_path: Path) -> Iterator[Callable[[Behave], LinuxSession]]:
    """A session with a server of SSH that behaves so."""
    key, ours = asyncssh.generate_private_key("ssh-ed25519"), asyncssh.generate_private_key("ssh-ed25519")
    ours.write_private_key(tmp_path / "key")
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    open_: list[tuple[Connections, asyncssh.SSHAcceptor]] = []

    class AnybodyWithAKey(asyncssh.SSHServer):
        def begin_auth(self, username: str) -> bool:  # noqa: ARG002 - the library's
            return False

    def session(behave: Behave) -> LinuxSession:
        async def listening() -> asyncssh.SSHAcceptor:
            return await asyncssh.listen(
                "127.0.0.1", 0, server_host_keys=[key], server_factory=AnybodyWithAKey, process_factory=behave
            )

        server = asyncio.run_coroutine_threadsafe(listening(), loop).result(30)
        known = f"[127.0.0.1]:{server.get_port()} {key.export_public_key().decode()}"
        (tmp_path / "known").write_text(known)
        reaching = Reaching("root", str(tmp_path / "known"), server.get_port(), (str(tmp_path / "key"),))
        open_.append((Connections(reaching), server))
        return LinuxSession(SshShell(open_[-1][0], "127.0.0.1"), NoNames(), Habits())

    yield session
    for ours_open, server in open_:
        ours_open.close()
        asyncio.run_coroutine_threadsafe(_all_ended(server), loop).result(30)
    loop.call_soon_threadsafe(loop.stop)
    thread.join(30)
    loop.close()


async def _all_ended(server: asyncssh.SSHAcceptor) -> None:
    """End what is still being said to nobody."""
    server.close()
    await server.wait_closed()
    others = asyncio.all_tasks() - {asyncio.current_task()}
    for task in others:
        task.cancel()
    await asyncio.gather(*others, return_exceptions=True)


def test_who_tells_the_truth_is_believed(speak: Callable[[Behave], LinuxSession]) -> None:
    """The same answer that the lies are made of: one account of a person, who administers the host."""
    state = speak(says(honest())).read()
    assert [account.name for account in state.accounts] == ["root", "cleo"]
    [administrators] = [group for group in state.groups if group.sid == "S-1-5-32-544"]
    assert {account.sid for account in state.accounts} >= administrators.members


@pytest.mark.parametrize("lie", part_of(list(LIES), 12))
def test_no_lie_is_believed(speak: Callable[[Behave], LinuxSession], lie: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Each ends in an error of ours, in time, and in little memory."""
    monkeypatch.setattr(connections, "_ANSWER", 2)
    session = speak(LIES[lie])
    began = monotonic()
    tracemalloc.start()
    try:
        with pytest.raises(AdzeguardError):
            session.read()
        assert tracemalloc.get_traced_memory()[1] < 8 * LONGEST_ANSWER
    finally:
        tracemalloc.stop()
    assert monotonic() - began < 30


@pytest.mark.parametrize("twice", ["passwd", "group"])
def test_of_two_lines_of_one_name_holds_what_the_system_takes(
    speak: Callable[[Behave], LinuxSession], twice: str
) -> None:
    """The first account; and everybody who is in any line of the group."""
    more = {"passwd": "cleo:x:1000:1000::/:/usr/sbin/nologin\n", "group": "sudo:x:27:root\n"}[twice]
    state = speak(says(honest(**{twice: FILES[f"/etc/{twice}"] + more}))).read()
    [cleo] = [account for account in state.accounts if account.name == "cleo"]
    [administrators] = [group for group in state.groups if group.sid == "S-1-5-32-544"]
    assert (cleo.enabled, cleo.sid in administrators.members) == (True, True)
