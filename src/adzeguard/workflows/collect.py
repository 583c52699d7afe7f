"""Collect: read the directory and the hosts into the store."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import datetime
from typing import Final

import numpy as np

from adzeguard.core.assembly import assemble
from adzeguard.core.errors import AdzeguardError, HostUnknownError
from adzeguard.core.estate import Host
from adzeguard.core.objects import Observed
from adzeguard.core.principal import Kind
from adzeguard.directory.decode import observe
from adzeguard.directory.port import DirectoryDriver
from adzeguard.hosts.port import HostDriver
from adzeguard.store.estate_store import CollectionFacts, EstateStore, Written

Progress = Callable[[str, int, int | None], None]
"""Told what is being read, how many are done, and of how many (nothing when that is not known)."""

_HOSTS_AT_ONCE: Final = 32
_HOSTS_IN_A_TASK: Final = 50
_TOLD_EVERY: Final = 500


@dataclass(frozen=True, slots=True)
class Collected:
    """What a collection came to."""

    written: Written
    counts: dict[str, int]
    hosts_read: int
    hosts_unread: list[Host]
    not_looked_after: list[str]
    """Computers of the directory that the host driver does not know, such as domain controllers."""
    strangers: tuple[str, ...]


def collect(
    directory: DirectoryDriver,
    hosts: HostDriver | None,
    store: EstateStore,
    clock: Callable[[], datetime],
    progress: Progress,
) -> Collected:
    """Read everything and store it as one collection. An error on the way leaves the last collection in force."""
    started = clock()
    facts = directory.facts()
    observed: list[Observed] = []
    for entry in directory.entries():
        seen = observe(entry)
        if seen is not None:
            observed.append(seen)
        if len(observed) % _TOLD_EVERY == 0:
            progress("directory", len(observed), None)
    progress("directory", len(observed), len(observed))
    ids = store.ids_for([seen.row.key for seen in observed])
    assembled = assemble(facts.domain, observed, ids)
    computers = [
        Host(i, seen.row.name, seen.row.dn)
        for seen, i in zip(observed, ids, strict=True)
        if seen.row.kind == Kind.COMPUTER
    ]
    read = read_hosts(hosts, computers, _known_states(store), progress) if hosts else []
    looked_after = {host.id for host in read}
    unknown = [computer.name for computer in computers if computer.id not in looked_after] if hosts else []
    about = CollectionFacts(
        "full", started, clock(), directory.label, facts.domain, facts.invocation_id, facts.highest_usn
    )
    written = store.write(about, assembled, read)
    kinds = np.bincount(assembled.objects.kinds, minlength=len(Kind))
    counts = {kind.label: int(kinds[kind]) for kind in Kind if kind != Kind.ABSENT and kinds[kind]}
    unread = [host for host in read if host.trouble]
    return Collected(written, counts, len(read) - len(unread), unread, unknown, assembled.strangers)


def _known_states(store: EstateStore) -> dict[int, Host]:
    return {host.id: host for host in store.load_hosts()}


def read_hosts(driver: HostDriver, computers: Sequence[Host], known: dict[int, Host], progress: Progress) -> list[Host]:
    """Read many hosts at once. One that does not answer keeps the state last seen, with the reason as its trouble.

    Computers that the driver does not know are left out.
    """

    def read_some(some: Sequence[Host]) -> list[Host | None]:
        return [read_host(driver, host, known.get(host.id)) for host in some]

    parts = [computers[at : at + _HOSTS_IN_A_TASK] for at in range(0, len(computers), _HOSTS_IN_A_TASK)]
    found: list[Host] = []
    done = 0
    with ThreadPoolExecutor(_HOSTS_AT_ONCE) as pool:
        for part in pool.map(read_some, parts):
            found += [host for host in part if host is not None]
            done += len(part)
            progress("hosts", done, len(computers))
    return found


def read_host(driver: HostDriver, host: Host, known: Host | None) -> Host | None:
    """Read one host; nothing when the driver knows none of that name."""
    try:
        return Host(host.id, host.name, host.dn, driver.read(host.name))
    except HostUnknownError:
        return None
    except AdzeguardError as error:
        return Host(host.id, host.name, host.dn, known.state if known else None, error.message)
