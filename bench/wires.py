"""One real domain read in turn by ldapsearch, by each connection and by whole collections.

As a program of its own, run where the server's name is known, it prints seconds as JSON: bench.wires FOLDER HOST BASE
BIND_AS PASSWORD_FILE CA_FILE TURNS.
"""

import json
import os
import random
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from statistics import median
from typing import Final

from tests.forest.kerberos_client import config, native_is_missing
from tests.forest.two_domains import Controller
from tests.server.random_domain import random_operations
from tests.server.server import PASSWORD, missing

from adzeguard.directory.decode import observe
from adzeguard.directory.ldap import LdapDirectory
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_native import NativeWire, Password, Ticket
from adzeguard.directory.ldap_port import LdapWire
from adzeguard.directory.ldap_servers import Server, Servers
from adzeguard.directory.ldap_wire import Wire
from bench.collection import plain_client
from bench.measure import Measured

_ROOT: Final = Path(__file__).parents[1]
_TURNS: Final = 5
_BARS: Final = {"pure": 1.5, "native": 1.15, "ticket": 1.15}


def run() -> Iterator[Measured]:
    """Fill a domain with 10,000 people and groups, and read it by each; told against ldapsearch of the same minute."""
    why_not = missing() or native_is_missing()
    if why_not:
        print(f"the connections to a real server are left out: {why_not}")
        return
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary)
        server = Controller(folder / "low", "lowmere.example", "LOWMERE", "lowdc", "127.0.0.71")
        _made(server)
        try:
            taken = _taken(server, folder)
        finally:
            server.stop()
    for name, turns in taken.items():
        ratio = median(own / plain for (own, _), (plain, _) in zip(turns, taken["ldapsearch"], strict=True))
        bar = _BARS.get(name, 0)
        yield Measured(f"LDAP: {name}, against ldapsearch", "10 k", ratio, "times", bar, at_least=not bar)
        yield Measured(
            f"LDAP: {name}, of the processor", "10 k", median(cpu for _, cpu in turns), "s", 0, at_least=True
        )


def _made(server: Controller) -> None:
    if server.provision().wait(300):
        raise RuntimeError("the domain was not made")
    server.settle(server)
    server.load(random_operations(random.Random(1), people=9_000, groups=1_000), timeout=None)
    server.known_to_clients()
    server.start(server.address, [server.named])
    server.wait()


def _taken(server: Controller, folder: Path) -> dict[str, list[tuple[float, float]]]:
    workspace, client = folder / "w", server.client
    (workspace / "charter").mkdir(parents=True)
    (workspace / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    environment = config(folder, kdc=server.address)
    if server.inside("kinit", "Administrator", given=f"{PASSWORD}\n", **environment).returncode:
        raise RuntimeError("no ticket was given")
    host, files = f"{server.host}.{server.realm}", [str(client.password_file), str(client.ca_file)]
    turn = [sys.executable, "-m", "bench.wires", str(workspace), host, server.base, client.bind_as, *files, "1"]
    taken: dict[str, list[tuple[float, float]]] = {}
    for _ in range(_TURNS):  # each within the minutes that a command inside may take
        ran = server.inside(*turn, at=_ROOT, **environment)
        if ran.returncode:
            raise RuntimeError(ran.stderr)
        for name, seconds in json.loads(ran.stdout).items():
            taken.setdefault(name, []).append(tuple(seconds[0]))
    return taken


def timed(task: Callable[[], object]) -> tuple[float, float]:
    """Return seconds on the clock and of the processor, those of children too."""

    def used() -> float:
        return sum(sum(resource.getrusage(who)[:2]) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN))

    begun, cpu = time.perf_counter(), used()
    task()
    return time.perf_counter() - begun, used() - cpu


def main() -> None:
    """Read it by each, as often as asked, in turn."""
    folder, host, base, bind_as, password_file, ca_file, turns = sys.argv[1:]
    password = Path(password_file).read_text()
    tls, sealed = Address(f"ldaps://{host}", ca_file), Address(f"ldap://{host}", sealed=True)

    def read(connect: Callable[[], LdapWire]) -> None:
        driver = LdapDirectory(Servers([Server(host, connect)]))
        driver.facts()
        if not sum(observe(entry) is not None for entry in driver.entries()):
            raise RuntimeError("nothing was read")
        driver.close()

    def ran(*command: str, **environment: str) -> None:
        done = subprocess.run(command, capture_output=True, check=False, env={**os.environ, **environment})
        if done.returncode:
            raise RuntimeError(done.stderr.decode())

    plain = plain_client(tls.url, bind_as, password_file, base)
    collect = [sys.executable, "-m", "adzeguard", "collect", "--full"]

    def collected(**settings: str) -> None:
        lines = "".join(f'{key} = "{value}"\n' for key, value in settings.items())
        (Path(folder) / "adzeguard.toml").write_text(f'[directory]\nkind = "ldap"\n{lines}')
        (Path(folder) / ".adzeguard").mkdir(exist_ok=True)
        ran(*collect, "--workspace", folder)

    bound = {
        "url": tls.url,
        "bind_as": bind_as.replace("\\", "\\\\"),
        "password_file": password_file,
        "ca_file": ca_file,
    }
    ways: dict[str, Callable[[], object]] = {
        "ldapsearch": lambda: ran(*plain, LDAPTLS_CACERT=ca_file),
        "pure": lambda: read(lambda: Wire(tls, bind_as, password)),
        "native": lambda: read(lambda: NativeWire(tls, Password(bind_as, password))),
        "ticket": lambda: read(lambda: NativeWire(sealed, Ticket())),
        "collect, pure": lambda: collected(**bound, tls_name=host),
        "collect, native": lambda: collected(**bound),
        "collect, ticket": lambda: collected(url=sealed.url, sign_in="kerberos"),
    }
    taken: dict[str, list[tuple[float, float]]] = {name: [] for name in ways}
    for _ in range(int(turns)):
        for name, task in ways.items():
            taken[name].append(timed(task))
    json.dump(taken, sys.stdout)


if __name__ == "__main__":
    main()
