"""Collect: read the directory and the hosts into the store."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import field, replace
from datetime import datetime
from typing import Final

import numpy as np

from adzeguard.core.descriptors.descriptor import is_readable
from adzeguard.core.descriptors.outsiders import key_of_outsider, outsiders, row_of_outsider
from adzeguard.core.errors import AdzeguardError, DirectoryError, HostUnknownError, NothingCollectedError
from adzeguard.core.estate.assembly import assemble
from adzeguard.core.estate.catalogue import Domain, DomainRead
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.foreign import ONLY_INSIDE
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.estate.rows import Observed
from adzeguard.core.identity import Sid, fold_dn, sid_of_dn
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import DIRECTORY_SERVER_GROUPS
from adzeguard.directory.decode import observe
from adzeguard.directory.port import (
    Changes,
    DirectoryDriver,
    DirectoryFacts,
    Entry,
    TellsChangesApart,
    TellsSchema,
)
from adzeguard.hosts.fleet import Fleet
from adzeguard.hosts.guarded_session import session_with
from adzeguard.hosts.processes import FEWEST
from adzeguard.hosts.worker_pool import HostDone, HostTask, WorkerPool
from adzeguard.store.collections import CollectionFacts
from adzeguard.store.estate_store import EstateStore, Written
from adzeguard.store.foreign_names import ForeignNames
from adzeguard.workflows.fan_out import over_hosts
from adzeguard.workflows.foreign_members import OtherDomain, Told, as_last_read, no_more_inside, told_by
from adzeguard.workflows.foreigners import asked_lately
from adzeguard.workflows.names import KnownNames
from adzeguard.workflows.offload import handed_out, to_be_handed_out

Progress = Callable[[str, int, int | None], None]
"""Told what is being read, how many are done, and of how many (nothing when that is not known)."""

_TOLD_EVERY: Final = 500
_PEOPLE: Final = ("user", "computer")


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
    """Computers that no source takes or knows, less those of the directory itself."""
    strangers: tuple[str, ...]
    more_strangers: int = 0
    unreadable: tuple[str, ...] = ()
    """The names of objects whose rights came as something that cannot be read."""
    unread: tuple[tuple[str, str], ...] = ()
    """Of several domains the names of those that were not read, and why; empty where they were not asked for."""
    twins: tuple[str, ...] = ()
    """Hosts that are not looked after, since a host of another domain has their name."""
    told: Told = field(default_factory=Told)
    """What other domains said of who is inside their groups."""


@dataclass(frozen=True)
class Sources:
    """What is read from, and where it is stored."""

    directory: DirectoryDriver
    hosts: Fleet
    store: EstateStore
    clock: Callable[[], datetime]
    progress: Progress
    names: KnownNames
    crew: WorkerPool | None = None
    """Other processes that read hosts, if there are any."""
    others: tuple[OtherDomain, ...] = ()
    """The directories of other domains, which say who is inside their groups."""


def collect(sources: Sources, *, full: bool = False) -> Collected:
    """Read what changed since the last time, or everything, and store it as one collection.

    Everything is read the first time, when the driver cannot tell what changed, when a server answers that was never
    read (USNs count per server), and when `full` asks for it. An error on the way leaves the last collection in force.
    """
    started = sources.clock()
    facts = sources.directory.facts()
    is_other = _keep_schema(sources, full=full)
    known = _watermark(sources.store, facts)
    # Attributes that are read since the schema has them, or since this version does, stand in what did not change too.
    is_other &= not isinstance(sources.directory, TellsChangesApart)
    changed = _changed(sources, facts, None if full or is_other else known, full=full)
    about = CollectionFacts(
        "full" if changed is None else "changes",
        started,
        started,
        sources.directory.label,
        facts.domain,
        facts.invocation_id,
        facts.highest_usn,
        _others(sources.store, facts),
    )
    if changed is None:
        collected = _collect_all(sources, about, compared=full)
    else:
        collected = _collect_changes(list(changed.entries), sources, about, changed.whole)
    return replace(collected, unread=facts.unread)


def _changed(sources: Sources, facts: DirectoryFacts, since: int | None, *, full: bool) -> Changes | None:
    """Return what changed; None where everything is read. Of several domains each is read by itself."""
    if isinstance(sources.directory, TellsChangesApart):
        fits = _last_domain(sources.store) == facts.domain
        changes = sources.directory.changes(since, full=full)
        if fits or changes is None:
            return changes
        if len(facts.read) < len(facts.domain.all):
            # The domains are others than they were, and what stands of them is not told by a part of them.
            raise DirectoryError(_not_all(facts), "Collect when all of them answer, without --only")
        return None
    entries = sources.directory.changed_since(since) if since is not None else None
    return Changes(entries, ()) if entries is not None else None


def _last_domain(store: EstateStore) -> Domain | None:
    last = store.last_full()
    return last.facts.domain if last is not None else None


def _not_all(facts: DirectoryFacts) -> str:
    silent = "; ".join(f"{name}: {why}" if why else name for name, why in facts.unread)
    return f"the workspace holds other domains than it names now, and not all of them are read ({silent})"


def _others(store: EstateStore, facts: DirectoryFacts) -> tuple[DomainRead, ...]:
    """Return what is known of the domains beside the first one: what was read now, else what was read before."""
    last = store.last_full()
    known = {one.domain.sid: one for one in last.facts.others} if last is not None else {}
    known |= {one.domain.sid: one for one in facts.read}
    return tuple(known[one.sid] for one in facts.domain.others)


def _keep_schema(sources: Sources, *, full: bool) -> bool:
    """Keep the server's own schema, where it tells one and it was changed: what nobody may write, and own classes.

    Tells whether another one was known; another server of the same domain tells the same.
    """
    stamp, before = sources.store.schema()
    known = "" if full else stamp
    told = sources.directory.schema_since(known) if isinstance(sources.directory, TellsSchema) else None
    if told is None:
        return False
    body, stamp = told
    sources.store.write_schema(stamp, body)
    return bool(before) and body != before


def _watermark(store: EstateStore, facts: DirectoryFacts) -> int | None:
    """Return up to which USN the store knows this server, or nothing when it does not.

    Of several servers each is followed on its own: what one gave in between is not told anew by another, and stands.
    """
    last = store.last_full()
    if last is None:
        return None
    served, held = facts.domain, last.facts.domain
    if held.sid != served.sid:
        # One that was made anew under its old name is another one too: all that the workspace knows is of the first.
        both = f"serves {served.dns_name} ({served.sid}), and the workspace holds {held.dns_name} ({held.sid})"
        raise DirectoryError(f"the directory {both}", "Make a workspace for it: adzeguard init")
    known = store.last_from(facts.invocation_id) if facts.invocation_id else None
    return known.facts.highest_usn if known is not None and known.facts.domain == facts.domain else None


def _collect_all(sources: Sources, about: CollectionFacts, *, compared: bool) -> Collected:
    observed = _observed(sources.directory.entries(), sources.progress)
    observed += outsiders(about.domain, observed)
    told = _told_by_others(sources, observed, about.domain.sid)
    observed = _with(observed, told.rows)
    sources.names.just_seen(about.domain, observed)
    ids = sources.store.ids_for([seen.row.key for seen in observed])
    assembled = assemble(about.domain, observed, ids)
    computers = [_computer(i, seen) for seen, i in zip(observed, ids, strict=True) if seen.row.kind == Kind.COMPUTER]
    read = _read_hosts(sources, computers, about.domain)
    written = sources.store.write(replace(about, finished=sources.clock()), assembled, read, compared=compared)
    kinds = np.bincount(assembled.objects.kinds, minlength=len(Kind))
    counts = {kind.label: int(kinds[kind]) for kind in Kind if kind != Kind.ABSENT and kinds[kind]}
    collected = _collected(about.kind, written, counts, read, assembled.strangers, assembled.more_strangers)
    return _with_twins(replace(collected, unreadable=_unreadable(observed), told=told), read, about.domain)


def _with_twins(collected: Collected, read: Sequence[Host], domain: Domain) -> Collected:
    """Tell apart hosts that bear another's name from those that no source takes."""
    twins = _twins(read, domain)
    if not twins:
        return collected
    names = tuple(rf"{domain.holding(host.dn).short_name}\{host.name}" for host in read if host.id in twins)
    unknown = _of_no_source(host for host in read if host.id not in twins)
    return replace(collected, not_looked_after=unknown, twins=names)


def _of_no_source(read: Iterable[Host]) -> list[str]:
    return [host.name for host in read if not host.source and not host.is_of_directory]


def _told_by_others(sources: Sources, observed: Sequence[Observed], own: Sid) -> Told:
    """Ask who is inside the groups of other domains that stand here; one that says nothing is known as it was."""
    if not sources.others:
        return Told()
    standing = {seen.row.sid: seen for seen in observed if seen.row.kind == Kind.FOREIGN and seen.row.sid}
    now = int(sources.clock().timestamp())
    known = ForeignNames(sources.store.database).all().values()
    people = {one.sid for one in asked_lately(known, now) if one.kind in _PEOPLE}
    told = told_by(sources.others, standing, people, own, now)
    if not told.silent:
        return told
    try:
        last = as_last_read(sources.store.load(), standing, told.rows)
    except NothingCollectedError:
        return told
    return replace(told, rows={**last, **told.rows})


def _with(observed: list[Observed], rows: Mapping[str, Observed]) -> list[Observed]:
    """Return what was observed with these rows, in the place of others of the same key or beside them."""
    if not rows:
        return observed
    keys = {one.row.key for one in rows.values()}
    return [*(seen for seen in observed if seen.row.key not in keys), *rows.values()]


def _changed_at_others(sources: Sources, domain: Domain) -> tuple[Told, list[bytes]]:
    """Return what other domains tell now, and the keys of those who were inside their groups and are not any more."""
    if not sources.others:
        return Told(), []
    estate = sources.store.load()
    told = _told_by_others(sources, _standing_foreigners(sources, estate), domain.sid)
    return told, [] if told.silent else [key_of_outsider(sid) for sid in no_more_inside(estate, told.rows)]


def _standing_foreigners(sources: Sources, estate: Estate) -> list[Observed]:
    """Read those of other domains again who have an object here, and add those who stand in rights alone."""
    below = f"CN=ForeignSecurityPrincipals,{estate.domain.base_dn}"
    found = _observed(sources.directory.entries_below(below), _quietly)
    alone = [str(one.sid) for one in estate.of_other_domains.values() if _stands_alone(one)]
    return [*found, *(row_of_outsider(sid) for sid in alone)]


def _stands_alone(one: Principal) -> bool:
    """Whether somebody stands in rights without an object, and not only inside a group of their own domain."""
    return bool(one.sid and sid_of_dn(one.dn)) and not one.details.get(ONLY_INSIDE)


def _quietly(_what: str, _done: int, _of: int | None) -> None: ...


def _collect_changes(
    changed: Sequence[Entry], sources: Sources, about: CollectionFacts, whole: Sequence[str] = ()
) -> Collected:
    """Read what changed, and everything below containers that moved or got other rights.

    A server does not mark what lies below such a container as changed, though its name or its inherited entries are.
    `whole` are domains of which everything was read: what is in the store of them and was not seen is there no more.
    """
    store = sources.store
    deleted = [guid for entry in changed if entry.deleted and (guid := entry.first("objectguid"))]
    living = [entry for entry in changed if not entry.deleted]
    by_key = {seen.row.key: seen for seen in _observed(living, sources.progress)}
    known_whole = tuple(map(fold_dn, whole))
    for dn in store.altered_containers(list(by_key.values())):
        if fold_dn(dn).endswith(known_whole or ("\0",)):
            continue
        below = _observed(sources.directory.entries_below(dn), sources.progress)
        by_key |= {seen.row.key: seen for seen in below}
    observed = list(by_key.values())
    told, left = _changed_at_others(sources, about.domain)
    observed = _with(observed, told.rows)
    sources.names.just_seen(about.domain, observed)
    known = {computer.id: computer for computer in store.computers()}
    missing = {key: name for key, name in store.keys_below(whole).items() if key not in by_key} if whole else {}
    left = [*left, *missing]  # deleted, or hidden from this account: that is not told apart
    gone = set(store.ids_of([*deleted, *missing]))
    for seen, i in zip(observed, store.ids_for([seen.row.key for seen in observed]), strict=True):
        if seen.row.kind == Kind.COMPUTER:
            known[i] = _computer(i, seen)
    computers = [computer for i, computer in sorted(known.items()) if i not in gone]
    read = _read_hosts(sources, computers, about.domain)
    finished = replace(about, finished=sources.clock())
    written = store.write_observed(finished, observed, read, removed=deleted, left=left, all_hosts=True)
    counts = Counter(Kind(seen.row.kind).label for seen in observed)
    written = replace(written, gone=sorted(missing.values()))
    collected = _collected(about.kind, written, dict(counts), read, ())
    return _with_twins(replace(collected, unreadable=_unreadable(observed), told=told), read, about.domain)


def _unreadable(observed: Iterable[Observed]) -> tuple[str, ...]:
    """Told when they are read: later it could be the directory, the server's answer, or what was exported of it."""
    return tuple(sorted(one.row.dn for one in observed if one.row.descriptor and not is_readable(one.row.descriptor)))


def _computer(object_id: int, seen: Observed) -> Host:
    row = seen.row
    return Host(
        object_id,
        row.name,
        row.dn,
        sid=row.sid,
        source="",
        details=row.details,
        is_of_directory=row.primary_group_rid in DIRECTORY_SERVER_GROUPS,
    )


def _read_hosts(sources: Sources, computers: Sequence[Host], domain: Domain) -> list[Host]:
    known = {host.id: host for host in sources.store.load_hosts()}
    twins = _twins(computers, domain)
    if not twins:
        return read_hosts(sources.hosts, computers, known, sources.progress, sources.crew)
    alone = [host for host in computers if host.id not in twins]
    read = {host.id: host for host in read_hosts(sources.hosts, alone, known, sources.progress, sources.crew)}
    return [read.get(host.id, host) for host in computers]


def _twins(computers: Iterable[Host], domain: Domain) -> set[int]:
    """Return those beside the first domain who bear the name of a host of another one.

    Hosts are called by their names alone: what is meant for the one would be done to the other.
    """
    if not domain.others:
        return set()
    places = {one.sid: place for place, one in enumerate(domain.all)}
    names: set[str] = set()
    twins: set[int] = set()
    for host in sorted(computers, key=lambda one: places[domain.holding(one.dn).sid]):
        if host.name.casefold() in names:
            twins.add(host.id)
        names.add(host.name.casefold())
    return twins


def _collected(
    kind: str,
    written: Written,
    counts: dict[str, int],
    read: Sequence[Host],
    strangers: tuple[str, ...],
    more_strangers: int = 0,
) -> Collected:
    unread = [host for host in read if host.trouble]
    looked_after = sum(bool(host.source) for host in read)
    return Collected(
        kind, written, counts, looked_after - len(unread), unread, _of_no_source(read), strangers, more_strangers
    )


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


def read_hosts(
    fleet: Fleet, computers: Sequence[Host], known: dict[int, Host], progress: Progress, crew: WorkerPool | None = None
) -> list[Host]:
    """Read many hosts at once. One that does not answer keeps the state last seen, with the reason as its trouble.

    Computers that no source takes or knows are kept as such.
    """
    read: dict[int, Host] = {}
    chosen = to_be_handed_out(fleet, crew, computers, FEWEST)
    if crew is not None and chosen:
        by_name = {host.name: host for host in chosen}
        for done in handed_out(fleet, crew, [HostTask(host) for host in chosen]):
            host = by_name[done.name]
            read[host.id] = _as_read(replace(host, source=fleet.source_of(host)), done, known.get(host.id))
            progress("hosts", len(read), len(computers))
    read |= {host.id: _nowhere(host) for host in computers if not fleet.source_of(host)}
    left = [host for host in computers if host.id not in read]
    for part in over_hosts(left, lambda host: read_host(fleet, host, known.get(host.id))):
        read |= {host.id: host for host in part}
        progress("hosts", len(read), len(computers))
    return [read[host.id] for host in computers]


def _as_read(host: Host, done: HostDone, known: Host | None) -> Host:
    if done.unknown:
        return _nowhere(host)
    if done.state is None:
        return replace(host, state=known.state if known else None, trouble=done.trouble)
    return replace(host, state=done.state, trouble="")


def _nowhere(host: Host) -> Host:
    """Return a host as one of no source, which most computers are already: no further value is made for those."""
    if host.state is None and not host.source and not host.trouble:
        return host
    return replace(host, source="", state=None, trouble="")


def read_host(fleet: Fleet, host: Host, known: Host | None) -> Host:
    """Read one host; it is of no source where none takes it, or the one that does knows none of that name."""
    host = replace(host, source=fleet.source_of(host))
    if not host.source:
        return _nowhere(host)
    try:
        with session_with(fleet, host) as session:
            return replace(host, state=session.read(), trouble="")
    except HostUnknownError:
        return _nowhere(host)
    except AdzeguardError as error:
        return replace(host, state=known.state if known else None, trouble=error.message)
