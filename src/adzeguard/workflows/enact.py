"""Enact: the one road by which anything is written."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from itertools import chain
from threading import Lock
from typing import Any, Final

from adzeguard.core.change.changes import (
    Change,
    MemberChange,
    ObjectChange,
    Verb,
    members_only,
    objects_only,
    value_bytes,
)
from adzeguard.core.change.guards.lockout import lockouts
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import DirectoryError, HostError, HostRefusedError, InputError, ProposalFileError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.rows import Observed
from adzeguard.core.identity import Sid
from adzeguard.directory.decode import observe
from adzeguard.directory.port import DirectoryDriver
from adzeguard.hosts.port import Capability, HostDriver, LocalGroupChange
from adzeguard.store.estate_store import CollectionFacts, EstateStore
from adzeguard.store.journal import Journal
from adzeguard.workflows.collect import read_host
from adzeguard.workflows.directory_changes import DirectoryChanger
from adzeguard.workflows.object_changes import hands_on
from adzeguard.workflows.outcome import Outcome, Status

_HOSTS_AT_ONCE: Final = 32
_UNDONE: Final = {Status.CONFLICT, Status.REFUSED, Status.UNREACHABLE, Status.DIFFERS, Status.UNSUPPORTED}
_FIRST: Final = {Verb.CREATE, Verb.ADD_MEMBER}
"""New objects and additions: what is taken away afterwards may rely on them."""
Told = Callable[[Outcome], None]


@dataclass(frozen=True)
class Ports:
    """What is written to, and where that is written down."""

    directory: DirectoryDriver
    hosts: HostDriver | None
    store: EstateStore
    journal: Journal
    clock: Callable[[], datetime]
    operator: str


@dataclass
class _Run:
    """One enactment: its journal rows and its outcomes. `begun` are changes that an earlier try may have made already."""

    ports: Ports
    name: str
    told: Told
    outcomes: list[Outcome] = field(default_factory=list)
    begun: frozenset[str] = frozenset()
    deleted: dict[str, bytes] = field(default_factory=dict)
    """The keys of the objects that changes have deleted."""
    lock: Lock = field(default_factory=Lock)

    def write(self, kind: str, body: dict[str, Any]) -> None:
        with self.lock:
            self.ports.journal.append(kind, self.name, body, self.ports.clock(), self.ports.operator)

    def intend(self, change: Change) -> None:
        if isinstance(change, ObjectChange) and change.verb == Verb.DELETE:
            guids = (a.before[0] for a in change.attributes if a.name.casefold() == "objectguid" and a.before)
            self.deleted[change.id] = value_bytes(next(guids, ""))
        self.write("intent", {"change": change.model_dump()})

    def conclude(self, outcome: Outcome) -> None:
        if outcome.already and outcome.change.id in self.begun:
            outcome = Outcome(outcome.change, Status.VERIFIED, "found done after an interruption")
        self.write("outcome", {"change": outcome.change.id, "status": outcome.status, "detail": outcome.detail})
        with self.lock:
            self.outcomes.append(outcome)
        self.told(outcome)


@dataclass(frozen=True)
class Interrupted:
    """An enactment that was begun and never ended: its proposal, what became of some changes, and which were begun."""

    name: str
    proposal: Proposal
    outcomes: tuple[Outcome, ...]
    begun: frozenset[str]

    @property
    def left(self) -> int:
        """How many changes are still to be made."""
        return len(self.proposal.changes) - len(self.outcomes)


def interrupted_enactment(journal: Journal) -> Interrupted | None:
    """Return the enactment that was interrupted, if the last one was."""
    rows = journal.unfinished()
    if not rows:
        return None
    proposal = Proposal.model_validate(rows[0].body["proposal"])
    changes = {change.id: change for change in proposal.changes}
    outcomes = tuple(
        Outcome(changes[row.body["change"]], Status(row.body["status"]), row.body["detail"])
        for row in rows
        if row.kind == "outcome"
    )
    concluded = {outcome.change.id for outcome in outcomes}
    begun = frozenset(row.body["change"]["id"] for row in rows if row.kind == "intent") - concluded
    return Interrupted(rows[0].enactment, proposal, outcomes, begun)


def enact_proposal(
    proposal: Proposal,
    estate: Estate,
    charter: ResolvedCharter,
    ports: Ports,
    told: Told,
    earlier: Interrupted | None = None,
) -> list[Outcome]:
    """Make the changes in their order, and store what was read back. The guards have been passed before.

    Additions come first, then removals. A removal is held back when an addition to the same host failed, or when
    without the failed additions it would lock somebody out. `earlier` is the interrupted enactment that this one goes on
    with: what it concluded is not done again, and what it began is looked at first.
    """
    if proposal.domain_sid != estate.domain.sid:
        raise ProposalFileError("the proposal was made for another domain", "Make one here: adzeguard propose")
    if not proposal.changes:
        return []
    started = ports.clock()
    if earlier is None:
        run = _Run(ports, f"a{started:%Y%m%d-%H%M%S-%f}", told)
        run.write("begin", {"proposal": proposal.model_dump(mode="json")})
    else:
        run = _Run(ports, earlier.name, told, list(earlier.outcomes), earlier.begun)
    concluded = {outcome.change.id for outcome in run.outcomes}
    waiting = [change for change in proposal.changes if change.id not in concluded]
    changer = DirectoryChanger(ports.directory)
    hosts_read: dict[str, Host] = {}
    _make([c for c in waiting if c.verb in _FIRST], run, changer, estate, hosts_read)
    allowed = _not_held_back([c for c in waiting if c.verb not in _FIRST], run, estate, charter)
    _make(allowed, run, changer, estate, hosts_read)
    _store_what_was_read(run, estate, hosts_read, started)
    run.write("end", dict(Counter(outcome.status.value for outcome in run.outcomes)))
    order = {change.id: place for place, change in enumerate(proposal.changes)}
    return sorted(run.outcomes, key=lambda outcome: order[outcome.change.id])


def _not_held_back(removals: Sequence[Change], run: _Run, estate: Estate, charter: ResolvedCharter) -> list[Change]:
    failed = {o.change.id: o.change for o in run.outcomes if o.status in _UNDONE and o.change.verb in _FIRST}
    if not failed:
        return list(removals)
    lacking = {change.host for change in failed.values() if change.host}
    done = [outcome.change for outcome in run.outcomes if outcome.change.id not in failed]
    allowed = [change for change in removals if change.host not in lacking]
    dangerous = next(lockouts(estate, [*done, *allowed], charter.keepers, charter.charter), "")
    for change in removals:
        if change.host in lacking:
            run.conclude(Outcome(change, Status.HELD_BACK, f"an addition on {change.host} did not come about"))
        elif dangerous:
            run.conclude(Outcome(change, Status.HELD_BACK, f"without the additions that failed, {dangerous}"))
    return [] if dangerous else allowed


def _make(
    changes: Iterable[Change],
    run: _Run,
    changer: DirectoryChanger,
    estate: Estate,
    hosts_read: dict[str, Host],
) -> None:
    on_hosts: dict[str, list[MemberChange]] = {}
    lost = ""
    for change in changes:
        if isinstance(change, MemberChange) and change.host is not None:
            on_hosts.setdefault(change.host, []).append(change)
        elif lost:
            run.conclude(Outcome(change, Status.UNREACHABLE, lost))
        else:
            outcome = changer.make(change, run.intend)
            run.conclude(outcome)
            lost = outcome.detail if outcome.status == Status.UNREACHABLE else ""

    def on_one(host: str) -> None:
        _change_host(host, on_hosts[host], run, estate, hosts_read)

    with ThreadPoolExecutor(_HOSTS_AT_ONCE) as pool:
        list(pool.map(on_one, on_hosts))


def _change_host(
    name: str, changes: Sequence[MemberChange], run: _Run, estate: Estate, hosts_read: dict[str, Host]
) -> None:
    driver = run.ports.hosts
    known = estate.hosts_by_name.get(name.casefold())
    for change in changes:
        if driver is None or Capability.LOCAL_GROUPS not in driver.capabilities:
            outcome = Outcome(change, Status.UNSUPPORTED, "no driver here can change local groups")
        elif known is None:
            outcome = Outcome(change, Status.CONFLICT, f"there is no host {name} any more")
        else:
            outcome = _change_local_group(driver, known, change, run, hosts_read)
        run.conclude(outcome)


def _change_local_group(
    driver: HostDriver, host: Host, change: MemberChange, run: _Run, hosts_read: dict[str, Host]
) -> Outcome:
    order = LocalGroupChange(Sid(change.group.sid), Sid(change.member.sid), add=change.verb == Verb.ADD_MEMBER)
    try:
        before = driver.read(host.name).group(order.group)
        if before is None:
            return Outcome(change, Status.CONFLICT, f"{host.name} has no such local group any more")
        if (order.member in before.members) == order.add:
            return Outcome(change, Status.CONFLICT, "it is so already", already=True)
        run.intend(change)
        driver.change(host.name, order)
        state = driver.read(host.name)
    except HostRefusedError as error:
        return Outcome(change, Status.REFUSED, error.message)
    except (HostError, InputError) as error:
        return Outcome(change, Status.UNREACHABLE, error.message)
    with run.lock:
        hosts_read[host.name] = Host(host.id, host.name, host.dn, state)
    after = state.group(order.group)
    if after is not None and (order.member in after.members) == order.add:
        return Outcome(change, Status.VERIFIED)
    return Outcome(change, Status.DIFFERS, "written, but read back otherwise")


def _store_what_was_read(run: _Run, estate: Estate, hosts_read: dict[str, Host], started: datetime) -> None:
    """Bring the store up to what is now true, so that the next look does not need a collection.

    What cannot be read again, now or because an earlier try read it, is left to the next collection.
    """
    ports = run.ports
    made = [outcome.change for outcome in run.outcomes]
    in_directory = [change for change in made if change.host is None]
    observed = _read_again(in_directory, ports.directory)
    gone = [key for change in objects_only(in_directory) if (key := run.deleted.get(change.id))]
    for name in {change.host for change in made if change.host} - hosts_read.keys():
        known = estate.hosts_by_name.get(name.casefold())
        again = read_host(ports.hosts, known, known) if ports.hosts and known else None
        if again is not None:
            hosts_read[name] = again
    latest = ports.store.latest().facts
    facts = CollectionFacts(
        "enactment", started, ports.clock(), latest.source, latest.domain, latest.invocation_id, latest.highest_usn
    )
    ports.store.write_observed(facts, observed, hosts_read.values(), removed=gone)


def _read_again(changes: Sequence[Change], directory: DirectoryDriver) -> list[Observed]:
    """Read every group, account and object that was touched, and what lies below those that moved or hand rights on."""
    members = members_only(changes)
    touched = {change.group.dn for change in members}
    touched |= {change.member.dn for change in members if change.verb == Verb.SET_PRIMARY_GROUP}
    below: set[str] = set()
    for change in objects_only(changes):
        if change.verb == Verb.MOVE or hands_on(change):
            below.add(change.to or change.object.dn)
        elif change.verb != Verb.DELETE:
            touched.add(change.object.dn)
    found: dict[bytes, Observed] = {}
    try:
        single = (entry for dn in sorted(touched) if (entry := directory.read(dn)) is not None)
        several = (entry for dn in sorted(below) for entry in directory.entries_below(dn))
        for entry in chain(single, several):
            seen = observe(entry)
            found |= {seen.row.key: seen} if seen is not None else {}
    except DirectoryError:
        return list(found.values())
    return list(found.values())
