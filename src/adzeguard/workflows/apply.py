"""Apply: the one road by which anything is written."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from threading import Lock
from typing import Any, Final

from adzeguard.core.change.guards import lockouts, pass_guards
from adzeguard.core.change.plan import Change, Plan, Verb
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.errors import DirectoryError, HostError, HostRefusedError, InputError, PlanFileError
from adzeguard.core.estate import Estate, Host
from adzeguard.core.identity import Sid
from adzeguard.directory.port import DirectoryDriver
from adzeguard.hosts.port import Capability, HostDriver, LocalGroupChange
from adzeguard.store.estate_store import CollectionFacts, EstateStore
from adzeguard.store.journal import Journal
from adzeguard.workflows.directory_changes import DirectoryChanger, listed_members
from adzeguard.workflows.outcome import Outcome, Status

_HOSTS_AT_ONCE: Final = 32
_UNDONE: Final = {Status.CONFLICT, Status.REFUSED, Status.UNREACHABLE, Status.DIFFERS, Status.UNSUPPORTED}
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
    """One apply: its journal rows and its outcomes."""

    ports: Ports
    name: str
    told: Told
    outcomes: list[Outcome] = field(default_factory=list)
    lock: Lock = field(default_factory=Lock)

    def write(self, kind: str, body: dict[str, Any]) -> None:
        with self.lock:
            self.ports.journal.append(kind, self.name, body, self.ports.clock(), self.ports.operator)

    def intend(self, change: Change) -> None:
        self.write("intent", {"change": change.model_dump()})

    def conclude(self, outcome: Outcome) -> None:
        self.write("outcome", {"change": outcome.change.id, "status": outcome.status, "detail": outcome.detail})
        with self.lock:
            self.outcomes.append(outcome)
        self.told(outcome)


def apply_plan(plan: Plan, estate: Estate, charter: ResolvedCharter, ports: Ports, told: Told) -> list[Outcome]:
    """Pass the guards, make the changes in their order, and store what was read back.

    Additions come first, then removals. A removal is held back when an addition to the same host failed, or when
    without the failed additions it would lock somebody out. Raises `GuardError` before anything is written.
    """
    if plan.domain_sid != estate.domain.sid:
        raise PlanFileError("the plan was made for another domain", "Make one here: adzeguard plan")
    pass_guards(estate, plan.changes, charter.keepers, charter.charter)
    if not plan.changes:
        return []
    started = ports.clock()
    run = _Run(ports, f"a{started:%Y%m%d-%H%M%S-%f}", told)
    run.write("begin", {"changes": len(plan.changes), "collection": plan.collection, "made_by": plan.made_by})
    changer = DirectoryChanger(ports.directory)
    additions = [change for change in plan.changes if change.verb == Verb.ADD_MEMBER]
    removals = [change for change in plan.changes if change.verb != Verb.ADD_MEMBER]
    hosts_read: dict[str, Host] = {}
    _make(additions, run, changer, estate, hosts_read)
    allowed = _not_held_back(removals, run, estate, charter)
    _make(allowed, run, changer, estate, hosts_read)
    run.write("end", dict(Counter(outcome.status.value for outcome in run.outcomes)))
    _store_what_was_read(run, changer, estate, hosts_read, started)
    order = {change.id: place for place, change in enumerate(plan.changes)}
    return sorted(run.outcomes, key=lambda outcome: order[outcome.change.id])


def _not_held_back(removals: Sequence[Change], run: _Run, estate: Estate, charter: ResolvedCharter) -> list[Change]:
    failed = {outcome.change.id: outcome.change for outcome in run.outcomes if outcome.status in _UNDONE}
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
    on_hosts: dict[str, list[Change]] = {}
    lost = ""
    for change in changes:
        if change.host is not None:
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


def _change_host(name: str, changes: Sequence[Change], run: _Run, estate: Estate, hosts_read: dict[str, Host]) -> None:
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
    driver: HostDriver, host: Host, change: Change, run: _Run, hosts_read: dict[str, Host]
) -> Outcome:
    order = LocalGroupChange(Sid(change.group.sid), Sid(change.member.sid), add=change.verb == Verb.ADD_MEMBER)
    try:
        before = driver.read(host.name).group(order.group)
        if before is None:
            return Outcome(change, Status.CONFLICT, f"{host.name} has no such local group any more")
        if (order.member in before.members) == order.add:
            return Outcome(change, Status.CONFLICT, "it is so already")
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


def _store_what_was_read(
    run: _Run, changer: DirectoryChanger, estate: Estate, hosts_read: dict[str, Host], started: datetime
) -> None:
    """Bring the store up to what is now true, so that the next look does not need a collection."""
    ports = run.ports
    latest = ports.store.latest().facts
    primaries = {i: rid for sid, rid in changer.primary_read.items() if (i := estate.id_of_sid(sid)) is not None}
    members = _read_again(run, estate)
    if members or primaries or hosts_read:
        facts = CollectionFacts(
            "apply",
            started,
            ports.clock(),
            latest.source,
            latest.domain,
            latest.invocation_id,
            latest.highest_usn,
        )
        ports.store.write_parts(facts, members, primaries, hosts_read.values())


def _read_again(run: _Run, estate: Estate) -> dict[int, list[int]]:
    """Read the members of every group that was touched. What cannot be read is left to the next collection."""
    touched = {o.change.group.sid: o.change.group.dn for o in run.outcomes if o.change.host is None}
    members: dict[int, list[int]] = {}
    for sid, dn in touched.items():
        try:
            entry = run.ports.directory.read(dn)
        except DirectoryError:
            return members
        group = estate.id_of_sid(sid)
        if entry is not None and group is not None:
            found = (estate.catalogue.by_dn(name) for name in listed_members(entry))
            members[group] = [i for i in found if i is not None]
    return members
