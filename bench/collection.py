"""Collection from the real directory server, in turn with its own plain client."""

import math
import os
import random
import subprocess
import tempfile
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from statistics import median

from tests.server.random_domain import random_operations
from tests.server.server import PASSWORD, Server, missing

from adzeguard.directory.decode import observe
from adzeguard.directory.ldap import _QUERY, open_ldap
from adzeguard.directory.port import ATTRIBUTES
from adzeguard.hosts.fleet import Fleet
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from adzeguard.workflows.collect import Sources, collect
from adzeguard.workflows.names import KnownNames
from bench.measure import Measured


class _NoNames:
    """A server needs no names from the store."""

    def sid_of(self, name: str) -> None: ...
    def name_of(self, sid: str) -> None: ...


_TURNS = 5


def run() -> Iterator[Measured]:
    """Fill a domain with M, then read it in turn with ldapsearch, both with descriptors."""
    why_not = missing()
    if why_not:
        print(f"collection from a real server is left out: {why_not}")
        return
    with tempfile.TemporaryDirectory() as temporary:
        server = Server(Path(temporary))
        server.provision()
        server.load(_operations())
        server.start()
        try:
            yield from _compare(server)
            yield from _changes(server, Path(temporary))
        finally:
            server.stop()


def _operations() -> list[dict]:
    found = random_operations(random.Random(1), people=10_000, groups=1_000)
    base = "OU=Random,DC=lowmere,DC=example"
    lot = random.Random(2)
    for n in range(2_000):
        values = {"objectClass": "computer", "sAMAccountName": f"H{n}$", "userAccountControl": "4096"}
        found.append({"do": "add", "dn": f"CN=H{n},{base}", "values": values})
    for n in range(1_000):
        members = [f"CN=rp{p},{base}" for p in lot.sample(range(10_000), 46)]
        standing = next((o for o in found if o["do"] == "modify" and o["dn"] == f"CN=rg{n},{base}"), None)
        already = set(standing["changes"][0][2]) if standing else set()
        found.append(
            {
                "do": "modify",
                "dn": f"CN=rg{n},{base}",
                "changes": [("member", "add", [m for m in members if m not in already])],
            }
        )
    return found


def _compare(server: Server) -> Iterator[Measured]:
    ratios, rates = [], []
    for _ in range(_TURNS):
        plain = _plain_client(server)
        ours, count = _ours(server)
        ratios.append(plain / ours)
        rates.append(count / ours)
    yield Measured("LDAP: collection against ldapsearch, entries/s", "M", median(ratios), "times", 0.9, at_least=True)
    yield Measured("LDAP: collection", "M", median(rates), "1/s", 0, at_least=True)


def _changes(server: Server, folder: Path) -> Iterator[Measured]:
    """Collect everything, then what ten changes made, in a workspace; the connection is timed apart and taken off."""
    options = {
        "url": server.url,
        "bind_as": server.bind_as,
        "ca_file": str(server.ca_file),
        "tls_name": server.tls_name,
    }
    store = EstateStore(SqliteDatabase(folder / "store.db", folder / "lock"))

    def run(*, full: bool) -> float:
        driver = open_ldap(options, lambda: PASSWORD, _NoNames())
        driver.facts()
        begun = time.perf_counter()
        names = KnownNames(store.load)
        collect(Sources(driver, Fleet(), store, lambda: datetime.now(UTC), lambda *_: None, names), full=full)
        taken = time.perf_counter() - begun
        driver.close()
        return taken

    def told_alone() -> float:
        """How long the server takes to say what changed, without what is done with it."""
        driver = open_ldap(options, lambda: PASSWORD, _NoNames())
        usn = driver.facts().highest_usn
        begun = time.perf_counter()
        list(driver.changed_since(usn - 10) or ())
        taken = time.perf_counter() - begun
        driver.close()
        return taken

    whole = median(run(full=True) for _ in range(3))
    shares, alone = [], []
    for turn in range(_TURNS):
        base = "OU=Random,DC=lowmere,DC=example"
        server.change(
            "\n\n".join(
                f"dn: CN=rp{turn * 10 + n},{base}\nchangetype: modify\nreplace: title\ntitle: T{turn}"
                for n in range(10)
            )
        )
        shares.append(run(full=False) / whole)
        alone.append(told_alone() / whole)
    yield Measured("LDAP: collection after 10 changes, of a full one", "M", median(shares), "times", 0.04)
    yield Measured("LDAP: the server's own part of that", "M", median(alone), "times", math.inf)


def _ours(server: Server) -> tuple[float, int]:
    options = {
        "url": server.url,
        "bind_as": server.bind_as,
        "ca_file": str(server.ca_file),
        "tls_name": server.tls_name,
    }
    driver = open_ldap(options, lambda: PASSWORD, _NoNames())
    begun = time.perf_counter()
    driver.facts()
    count = sum(observe(entry) is not None for entry in driver.entries())
    taken = time.perf_counter() - begun
    driver.close()
    return taken, count


def plain_client(url: str, bind_as: str, password_file: str, base: str) -> list[str]:
    """Return the command by which the server's own client reads what a collection reads, descriptors among it."""
    paged = ["-E", "pr=1000/noprompt", "-E", "!1.2.840.113556.1.4.801=::MAMCAQc="]
    signing_in = ["-H", url, "-x", "-D", bind_as, "-y", password_file, "-b", base]
    return ["ldapsearch", "-LLL", "-o", "ldif-wrap=no", *paged, *signing_in, _QUERY, *ATTRIBUTES]


def _plain_client(server: Server) -> float:
    command = plain_client(server.url, server.bind_as, str(server.password_file), server.base)
    environment = {**os.environ, "LDAPTLS_CACERT": str(server.ca_file), "LDAPTLS_REQCERT": "allow"}
    begun = time.perf_counter()
    done = subprocess.run(command, capture_output=True, check=False, env=environment)
    if done.returncode:
        raise RuntimeError(done.stderr.decode())
    return time.perf_counter() - begun
