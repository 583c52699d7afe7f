"""Connections over SSH: one kept for each host, opened at a pace that servers bear, its host key always checked."""

import asyncio
import os
import threading
from collections.abc import Coroutine
from concurrent.futures import wait
from typing import Any, Final, TypeVar

import asyncssh

from adzeguard.core.errors import HostFileError, HostRefusedError, HostUnreachableError
from adzeguard.core.values import dataclass
from adzeguard.hosts.deadline import STOPPED
from adzeguard.hosts.linux.bounded import both_read
from adzeguard.hosts.linux.shell import AS_ROOT, COMMAND, Ran, refusal_of_sudo, without_warnings

_AT_ONCE: Final = 8
"""Connections that are opened at one time: OpenSSH drops some of more than ten that are not logged in yet."""
_ANSWER: Final = 60
"""Seconds for one script; a host is read by two."""
_CLOSING: Final = 5
_SLICE: Final = 1.0
T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Reaching:
    """How hosts are reached: by which account and keys, with which known hosts, and through which other host."""

    account: str
    known_hosts: str
    port: int = 22
    keys: tuple[str, ...] = ()
    jump: str = ""
    sudo: bool = True
    wait: float = 15


class Connections:
    """Keeps the connections of all hosts, in a thread of their own."""

    def __init__(self, reaching: Reaching) -> None:
        self.reaching = reaching
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, name="ssh", daemon=True)
        self._thread.start()
        self._opening = asyncio.Semaphore(_AT_ONCE)
        self._open: dict[str, asyncssh.SSHClientConnection] = {}
        self._jump: asyncssh.SSHClientConnection | None = None
        self._jump_lock = asyncio.Lock()
        self._agent: asyncssh.SSHAgentClient | None = None

    def run(self, address: str, script: bytes) -> Ran:
        """Run a script on a host, as root, over its kept connection."""
        return self._wait(self._run(address, script))

    def connect(self, address: str) -> str:
        """Open the connection to a host, if it is not; return what it calls itself."""
        connection = self._wait(self._connection(address))
        return str(connection.get_extra_info("server_version", ""))

    def host_key(self, address: str) -> tuple[str, str]:
        """Return the key that a host shows, as its line for a file of known hosts, and its fingerprint.

        `HostUnreachableError` where it shows none.
        """
        return self._wait(self._host_key(address))

    def close(self) -> None:
        """Close all connections."""
        asyncio.run_coroutine_threadsafe(self._close(), self._loop).result(_CLOSING)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(_CLOSING)
        if not self._loop.is_running():  # one that hangs in a lost connection ends with the process
            self._loop.close()

    def _wait(self, work: Coroutine[Any, Any, T]) -> T:
        future = asyncio.run_coroutine_threadsafe(work, self._loop)
        while not wait([future], _SLICE).done:
            if STOPPED.is_set():
                future.cancel()
                raise HostUnreachableError("it was left, since somebody stopped this")
        return future.result()

    async def _run(self, address: str, script: bytes) -> Ran:
        # A host without sudo can be reached as root; sudo would be missing there.
        words = AS_ROOT if self.reaching.sudo and self.reaching.account != "root" else COMMAND
        for attempt in (1, 2):
            kept = address in self._open
            connection = await self._connection(address)
            try:
                code, out, said = await asyncio.wait_for(_spoken_with(connection, " ".join(words), script), _ANSWER)
            except TimeoutError as error:
                self._open.pop(address, None)
                connection.abort()
                raise HostUnreachableError(f"{address} gave no answer within {_ANSWER} seconds") from error
            except HostFileError:
                # What it goes on sending has nobody to read it: the connection goes with it.
                self._open.pop(address, None)
                connection.abort()
                raise
            except (OSError, asyncssh.Error) as error:
                self._open.pop(address, None)
                # A kept connection may have been cut while nobody used it; a script that was begun is never run twice.
                if kept and attempt == 1 and isinstance(error, asyncssh.ChannelOpenError):
                    continue
                raise HostUnreachableError(f"the connection to {address} was lost: {error}") from error
            return _ran(address, self.reaching.account, code, out, said)
        raise HostUnreachableError(f"the connection to {address} was lost")

    async def _connection(self, address: str) -> asyncssh.SSHClientConnection:
        if address not in self._open:
            # Looked at once more inside: somebody else may have opened it while this one waited.
            async with self._opening:
                if address not in self._open:
                    self._open[address] = await self._opened(address, await self._through())
        return self._open[address]

    async def _through(self) -> asyncssh.SSHClientConnection | None:
        if not self.reaching.jump:
            return None
        async with self._jump_lock:
            if self._jump is None:
                self._jump = await self._opened(self.reaching.jump, None)
        return self._jump

    async def _opened(self, address: str, tunnel: asyncssh.SSHClientConnection | None) -> asyncssh.SSHClientConnection:
        name, port, account = self._parts(address)
        reaching = self.reaching
        try:
            return await asyncio.wait_for(
                asyncssh.connect(
                    name,
                    port,
                    username=account,
                    known_hosts=reaching.known_hosts,
                    client_keys=list(reaching.keys) or await self._keys_of_agent(),
                    # The agent is asked by `_keys_of_agent` alone, where no key is named.
                    agent_path=None,
                    password=None,
                    # Never a password: a host that poses as another must get nothing to keep.
                    preferred_auth="publickey",
                    tunnel=tunnel or (),
                    # The operator's own ~/.ssh/config could send this to another host.
                    config=None,
                    connect_timeout=reaching.wait,
                    login_timeout=reaching.wait,
                ),
                # The library's own times begin anew with each step of the exchange; a dripping server never ends.
                2 * reaching.wait,
            )
        except asyncssh.HostKeyNotVerifiable as error:
            raise HostUnreachableError(
                f"the key of {address} is not in {reaching.known_hosts}", await self._way_out(address)
            ) from error
        # Told apart from a host that is off: it can be mended only by letting the key in.
        except asyncssh.PermissionDenied as error:
            how = "The key must be let in there" if reaching.keys else "Name a key: key = '…', or start an agent"
            raise HostRefusedError(f"{address} refuses {account}: {error.reason}", how) from error
        except TimeoutError as error:
            raise HostUnreachableError(f"{address} does not answer", "Is it switched on?") from error
        except (OSError, asyncssh.Error) as error:
            said = getattr(error, "strerror", None) or getattr(error, "reason", None) or str(error)
            raise HostUnreachableError(f"{address} cannot be reached: {said}", "Is it switched on?") from error

    async def _keys_of_agent(self) -> "list[asyncssh.SSHKeyPair] | None":
        """Return the keys of the agent, and of nothing else: what lies in somebody's home is not meant for this."""
        path = os.environ.get("SSH_AUTH_SOCK", "")
        if not path:
            return None
        if self._agent is None:
            try:
                self._agent = await asyncssh.connect_agent(path)
            except (OSError, asyncssh.Error) as error:
                raise HostRefusedError(f"the agent at {path} does not answer: {error}", "Name a key instead") from error
        return list(await self._agent.get_keys()) or None

    async def _way_out(self, address: str) -> str:
        try:
            line, fingerprint = await self._host_key(address)
        except HostUnreachableError:
            return "Look at its key there, and put it in"
        return f"It shows {fingerprint}. If that is its own, add the line: {line}"

    async def _host_key(self, address: str) -> tuple[str, str]:
        name, port, _ = self._parts(address)
        tunnel = await self._through() if address != self.reaching.jump else None
        try:
            key = await asyncio.wait_for(
                asyncssh.get_server_host_key(name, port, tunnel=tunnel or (), config=None), self.reaching.wait
            )
        except (TimeoutError, OSError, asyncssh.Error) as error:
            raise HostUnreachableError(f"{address} shows no key: {error}") from error
        if key is None:
            raise HostUnreachableError(f"{address} shows no key")
        # The form of known_hosts for another port than 22, sshd(8).
        shown = name if port == asyncssh.DEFAULT_PORT else f"[{name}]:{port}"
        return f"{shown} {key.export_public_key().decode().split(' comment')[0].strip()}", key.get_fingerprint()

    def _parts(self, address: str) -> tuple[str, int, str]:
        """Split an address such as `user@host:2222`; a jump host may have another account and port."""
        account, _, rest = address.rpartition("@")
        name, colon, port = rest.rpartition(":")
        if not colon or not port.isdecimal():
            name, port = rest, str(self.reaching.port)
        return name.strip("[]"), int(port), account or self.reaching.account

    async def _close(self) -> None:
        if self._agent is not None:
            self._agent.close()
        connections = [*self._open.values(), *([self._jump] if self._jump else [])]
        for connection in connections:
            connection.close()
        await asyncio.wait([asyncio.ensure_future(c.wait_closed()) for c in connections] or [_nothing()], timeout=2)


async def _spoken_with(
    connection: asyncssh.SSHClientConnection, command: str, script: bytes
) -> tuple[int | None, bytes, bytes]:
    """Run a command with a script on its input; what comes is read as far as a host's state can reach."""
    process = await connection.create_process(command, encoding=None)
    process.stdin.write(script)
    process.stdin.write_eof()
    out, said = await both_read(process.stdout, process.stderr)
    await process.wait_closed()
    return process.exit_status, out, said


async def _closed() -> None:
    """Nothing was open."""


def _nothing() -> "asyncio.Future[None]":
    return asyncio.ensure_future(_closed())


def _ran(address: str, account: str, code: int | None, out: bytes, said: bytes) -> Ran:
    text = said.decode("utf-8", "replace").strip()
    # A channel that is closed without an exit status: sshd was killed, or the host went down.
    if code is None:
        raise HostUnreachableError(f"the connection to {address} was lost before an answer came")
    refusal = refusal_of_sudo(code, text)
    if refusal:
        way_out = f"Let {account} run /bin/sh as root there without a password: see the guide, Hosts"
        raise HostRefusedError(f"sudo refuses on {address}: {refusal}", way_out)
    return Ran(code, out, without_warnings(text))
