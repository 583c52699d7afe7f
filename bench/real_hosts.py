"""Real hosts: over SSH beside the bare library, and by their account database with one process and with two."""

import asyncio
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import asyncssh
from tests.linux.sandbox import LinuxHost, made
from tests.server.member import joined
from tests.server.server import PASSWORD, Server, missing

from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.fleet import Fleet, FleetSource
from adzeguard.hosts.linux.scripts import READ
from adzeguard.hosts.linux.shell import AS_ROOT
from adzeguard.hosts.linux.ssh import open_ssh
from adzeguard.hosts.processes import Processes
from adzeguard.hosts.remote_sam.driver import open_remote_sam
from adzeguard.hosts.worker_pool import SourceApart
from adzeguard.workflows.collect import read_hosts
from bench.measure import Measured

_SESSIONS = 200
_SAM_HOSTS = 64
_TURNS = 3
_AT_ONCE = 4  # a server takes ten sessions a connection at most, and closes them late


def run() -> Iterator[Measured]:
    """Read a real Linux host two hundred times, and a real member host by two processes and by one."""
    with tempfile.TemporaryDirectory() as temporary, made(Path(temporary)) as host:
        yield _over_ssh(host)
    if missing():
        print(f"hosts by their account database are left out: {missing()}")
        return
    with tempfile.TemporaryDirectory() as temporary:
        server = Server(Path(temporary))
        server.provision()
        server.load([])
        server.start()
        try:
            with joined(server) as member:
                yield from _by_account_database(member.address)
        finally:
            server.stop()


class _Names:
    domain = "LOWMERE"

    def sid_of(self, name: str) -> str | None: ...
    def name_of(self, sid: str) -> str | None: ...


def _hosts(count: int) -> list[Host]:
    return [Host(n, f"H{n}", f"CN=H{n},DC=x", source="") for n in range(count)]


def _read(fleet: Fleet, count: int, crew: Processes | None = None) -> None:
    hosts = read_hosts(fleet, _hosts(count), {}, lambda *_: None, crew)
    troubles = {host.trouble for host in hosts if host.trouble}
    if troubles:
        raise RuntimeError(troubles)


def _in_turn(first: Callable[[], None], second: Callable[[], None]) -> tuple[float, float]:
    """Return the shortest time of each, taken in turn: what else the machine does hits both."""
    times: tuple[list[float], list[float]] = ([], [])
    for _ in range(_TURNS):
        for task, taken in ((first, times[0]), (second, times[1])):
            begun = time.perf_counter()
            task()
            taken.append(time.perf_counter() - begun)
    return min(times[0]), min(times[1])


def _over_ssh(host: LinuxHost) -> Measured:
    settings = {
        "account": "keeper",
        "key": str(host.key),
        "known_hosts": str(host.known_hosts),
        "port": str(host.port),
        "address": "127.0.0.1",
    }

    def ours() -> None:
        fleet = Fleet([FleetSource("nav", FleetPart(), open_ssh(settings, lambda: "", _Names()))])
        _read(fleet, _SESSIONS)
        fleet.close()

    mine, bare = _in_turn(ours, lambda: asyncio.run(_bare(host)))
    print(f"  over SSH: {_SESSIONS / mine:.0f} hosts a second; the bare library {_SESSIONS / bare:.0f}")
    return Measured("Linux hosts over SSH: time against the bare library", "200", mine / bare, "", 1.1)


async def _bare(host: LinuxHost) -> None:
    gate = asyncio.Semaphore(_AT_ONCE)
    options = {"port": host.port, "username": "keeper", "client_keys": [str(host.key)]}
    async with asyncssh.connect("127.0.0.1", known_hosts=str(host.known_hosts), **options) as connection:

        async def one() -> None:
            async with gate:
                done = await connection.run(" ".join(AS_ROOT), input=READ.encode(), encoding=None)
                if done.exit_status:
                    raise RuntimeError(done.stderr)

        await asyncio.gather(*(one() for _ in range(_SESSIONS)))


def _by_account_database(address: str) -> Iterator[Measured]:
    settings = {"account": "LOWMERE\\Administrator", "address": address}

    def fleet() -> Fleet:
        source = open_remote_sam(settings, lambda: PASSWORD, _Names())
        apart = SourceApart(FleetPart(), open_remote_sam, tuple(settings.items()), PASSWORD)
        return Fleet([FleetSource("sam", FleetPart(), source, lambda: apart, is_heavy=True)])

    one, two = _in_turn(lambda: _read(fleet(), _SAM_HOSTS), lambda: _read(fleet(), _SAM_HOSTS, Processes(2)))
    print(f"  by account database: {_SAM_HOSTS / one:.1f} hosts a second in one process, {_SAM_HOSTS / two:.1f} in two")
    yield Measured("remote SAM: rate of two processes against one", "64", one / two, "", 1.6, at_least=True)
