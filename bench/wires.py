"""One domain read in turn by ldapsearch, by both connections and by whole collections; prints seconds as JSON.

Run where the server's name is known: bench.wires FOLDER URL_HOST BASE BIND_AS PASSWORD_FILE CA_FILE TURNS
"""

import json
import os
import resource
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from adzeguard.directory.decode import observe
from adzeguard.directory.ldap import _QUERY, LdapDirectory
from adzeguard.directory.ldap_native import NativeWire, Password, Ticket
from adzeguard.directory.ldap_port import LdapWire
from adzeguard.directory.ldap_servers import Server, Servers
from adzeguard.directory.ldap_wire import Address, Wire
from adzeguard.directory.port import ATTRIBUTES

DESCRIPTORS = "!1.2.840.113556.1.4.801=::MAMCAQc="


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

    plain = ["ldapsearch", "-LLL", "-o", "ldif-wrap=no", "-E", "pr=1000/noprompt", "-E", DESCRIPTORS, "-b", base]
    by_password = ["-x", "-D", bind_as, "-y", password_file, "-H", tls.url]
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
        "ldapsearch": lambda: ran(*plain, *by_password, _QUERY, *ATTRIBUTES, LDAPTLS_CACERT=ca_file),
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
