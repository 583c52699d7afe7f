"""Collect: read the directory and the hosts into the store."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Final

import numpy as np

from adzeguard.core.assembly import assemble
from adzeguard.core.errors import AdzeguardError, HostUnknownError
from adzeguard.core.estate import Host
from adzeguard.core.objects import Observed
from adzeguard.core.principal import Kind
from adzeguard.directory.decode import observe
from adzeguard.directory.port import DirectoryDriver, DirectoryFacts, Entry
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

    kind: str
    """"full" or "changes"."""
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
    *,
    full: bool = False,
) -> Collected:
    """Read what changed since the last time, or everything, and store it as one collection.

    Everything is read the first time, when the driver cannot tell what changed, when another server answers than the
    last time (USNs count per server), and when `full` asks for it. An error on the way leaves the last collection
    in force.
    """
    started = clock()
    facts = directory.facts()
    since = None if full else _watermark(store, facts)
    changed = directory.changed_since(since) if since is not None else None
    kind = "full" if changed is None or since is None else "changes"
    about = CollectionFacts(
        kind, started, started, directory.label, facts.domain, facts.invocation_id, facts.highest_usn
    )
    if changed is None or since is None:
        return _collect_all(directory, hosts, store, about, clock, progress)
    return _collect_changes(list(changed), directory, hosts, store, about, clock, progress)


def _watermark(store: EstateStore, facts: DirectoryFacts) -> int | None:
    """Return up to which USN the store knows this server, or nothing when it does not."""
    last = store.last_full()
    if last is None or not facts.invocation_id or last.facts.invocation_id != facts.invocation_id:
        return None
    return last.facts.highest_usn if last.facts.domain == facts.domain else None


def _collect_all(
    directory: DirectoryDriver,
    hosts: HostDriver | None,
    store: EstateStore,
    about: CollectionFacts,
    clock: Callable[[], datetime],
    progress: Progress,
) -> Collected:
    observed = _observed(directory.entries(), progress)
    ids = store.ids_for([seen.row.key for seen in observed])
    assembled = assemble(about.domain, observed, ids)
    computers = [
        Host(i, seen.row.name, seen.row.dn)
        for seen, i in zip(observed, ids, strict=True)
        if seen.row.kind == Kind.COMPUTER
    ]
    read = read_hosts(hosts, computers, _known_states(store), progress) if hosts else []
    written = store.write(replace(about, finished=clock()), assembled, read)
    kinds = np.bincount(assembled.objects.kinds, minlength=len(Kind))
    counts = {kind.label: int(kinds[kind]) for kind in Kind if kind != Kind.ABSENT and kinds[kind]}
    return _collected(about.kind, written, counts, hosts, computers, read, assembled.strangers)


def _collect_changes(
    changed: Sequence[Entry],
    directory: DirectoryDriver,
    hosts: HostDriver | None,
    store: EstateStore,
    about: CollectionFacts,
    clock: Callable[[], datetime],
    progress: Progress,
) -> Collected:
    """Read what changed, and everything below containers that moved or got other rights.

    A server does not mark what lies below such a container as changed, though its name or its inherited entries are.
    """
    deleted = [guid for entry in changed if entry.deleted and (guid := entry.first("objectguid"))]
    living = [entry for entry in changed if not entry.deleted]
    by_key = {seen.row.key: seen for seen in _observed(living, progress)}
    for dn in store.altered_containers(list(by_key.values())):
        by_key |= {seen.row.key: seen for seen in _observed(directory.entries_below(dn), progress)}
    observed = list(by_key.values())
    known = {computer.id: computer for computer in store.computers()}
    gone = set(store.ids_of(deleted))
    for seen, i in zip(observed, store.ids_for([seen.row.key for seen in observed]), strict=True):
        if seen.row.kind == Kind.COMPUTER:
            known[i] = Host(i, seen.row.name, seen.row.dn)
    computers = [computer for i, computer in sorted(known.items()) if i not in gone]
    read = read_hosts(hosts, computers, _known_states(store), progress) if hosts else []
    finished = replace(about, finished=clock())
    written = store.write_observed(finished, observed, read, removed=deleted, all_hosts=True)
    counts = Counter(Kind(seen.row.kind).label for seen in observed)
    return _collected(about.kind, written, dict(counts), hosts, computers, read, ())


def _collected(
    kind: str,
    written: Written,
    counts: dict[str, int],
    driver: HostDriver | None,
    computers: Sequence[Host],
    read: Sequence[Host],
    strangers: tuple[str, ...],
) -> Collected:
    looked_after = {host.id for host in read}
    unknown = [computer.name for computer in computers if computer.id not in looked_after] if driver else []
    unread = [host for host in read if host.trouble]
    return Collected(kind, written, counts, len(read) - len(unread), unread, unknown, strangers)


def _observed(entries: Iterable[Entry], progress: Progress) -> list[Observed]:
    observed: list[Observed] = []
    for entry in entries:
        seen = observe(entry)
        if seen is not None:
            observed.append(seen)
        if len(observed) % _TOLD_EVERY == 0:
            progress("directory", len(observed), None)
    progress("directory", len(observed), len(observed))
    return observed


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
