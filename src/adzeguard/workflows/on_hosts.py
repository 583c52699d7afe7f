"""The changes of hosts: many hosts at once, each done whole, left for later, or put back."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.judge import Judged
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.hosts.executor import make_on_host
from adzeguard.hosts.guarded_session import session_with
from adzeguard.hosts.processes import FEWEST
from adzeguard.hosts.worker_pool import HostTask
from adzeguard.workflows.fan_out import over_hosts
from adzeguard.workflows.offload import handed_out, to_be_handed_out
from adzeguard.workflows.run import Run

_WORDS: Final = {Status.REFUSED: "refused", Status.DIFFERS: "read back otherwise"}
_FAILED: Final = frozenset(_WORDS)
HostsRead = dict[str, Host]
"""Hosts by name, as they were read last."""


def change_hosts(by_host: Mapping[str, Sequence[Change]], judged: Judged, run: Run, hosts_read: HostsRead) -> None:
    """Make the changes of hosts, those of one host one after the other."""
    ports = run.ports
    left = dict(by_host)
    for name in _by_the_crew(by_host, judged, run, hosts_read):
        del left[name]

    def on_one(name: str) -> None:
        ports.pace.turn(ports.stopping)
        if not ports.stopping():
            _change_host(name, left[name], judged, run, hosts_read)

    for _ in over_hosts(list(left), on_one, in_a_task=1, at_once=ports.pace.at_once):
        pass


def _by_the_crew(
    by_host: Mapping[str, Sequence[Change]], judged: Judged, run: Run, hosts_read: HostsRead
) -> Iterator[str]:
    """Let other processes change the hosts that they can, and yield those that are done.

    What they do cannot be written down by them, so all that they may do is written down before. A host that stands
    otherwise than the guards saw it, or of which nothing comes back, is left to be done from here.
    """
    ports = run.ports
    estate = judged.case.estate
    known = {name: host for name in by_host if (host := estate.hosts_by_name.get(name.casefold())) and host.state}
    chosen = to_be_handed_out(ports.hosts, ports.crew, list(known.values()), FEWEST)
    if ports.crew is None or not chosen or ports.pace.per_minute is not None or ports.stopping():
        return
    names = {host.name: name for name, host in known.items()}
    tasks = []
    for host in chosen:
        changes = tuple(by_host[names[host.name]])
        for change in changes:
            run.intend(change)
        run.begun |= {change.id for change in changes}
        tasks.append(HostTask(host, tuple(map(judged.allowed, changes)), host.state))
    for done in handed_out(ports.hosts, ports.crew, tasks, ports.stopping):
        if done.otherwise or done.unknown:
            continue
        for outcome in done.outcomes:
            run.conclude(outcome)
        _keep(known[names[done.name]], done.state, run, hosts_read)
        yield names[done.name]


def put_back_halves(judged: Judged, run: Run, hosts_read: HostsRead) -> None:
    """Take back what was made on each host that refused something else: it stands as before, or it is done whole.

    A host that did not answer is not put back: what is left for it is made when it does.
    """
    open_hosts = {change.host_name for change in run.left(judged.proposal.changes)}
    failed = {o.change.host_name: o for o in run.outcomes if o.change.host_name and o.status in _FAILED}
    made = {name: [o.change for o in run.outcomes if _is_made_on(name, o)] for name in failed if name not in open_hosts}
    halves = [name for name, those in made.items() if those]

    def on_one(name: str) -> None:
        _put_back(made[name], failed[name], judged, run, hosts_read)

    for _ in over_hosts(halves, on_one, in_a_task=1, at_once=run.ports.pace.at_once):
        pass


def _is_made_on(name: str, outcome: Outcome) -> bool:
    return outcome.change.host_name == name and outcome.status == Status.VERIFIED and not outcome.already


def _put_back(made: Sequence[Change], because: Outcome, judged: Judged, run: Run, hosts_read: HostsRead) -> None:
    known = judged.case.estate.hosts_by_name[made[0].host_name.casefold()]
    detail = f"taken back, since '{because.change.in_words()}' was {_WORDS[because.status]}"
    try:
        with session_with(run.ports.hosts, known) as session:
            for change in reversed(made):
                back = judged.allowed_back(change, {})
                if back is None:
                    continue

                def intend(_back: Change, change: Change = change) -> None:
                    run.write("putting-back", {"change": change.id})

                outcome, state = make_on_host(session, back, intend, run.judge)
                if outcome.status == Status.VERIFIED or outcome.already:
                    run.settle(Outcome(change, Status.PUT_BACK, detail))
                _keep(known, state, run, hosts_read)
    except AdzeguardError:
        return  # it does not answer any more: what was made stays, and is in the journal


def _keep(known: Host, state: HostState | None, run: Run, hosts_read: HostsRead) -> None:
    if state is not None:
        with run.lock:
            hosts_read[known.name] = replace(known, state=state, trouble="")


def _change_host(name: str, changes: Sequence[Change], judged: Judged, run: Run, hosts_read: HostsRead) -> None:
    fleet, known = run.ports.hosts, judged.case.estate.hosts_by_name.get(name.casefold())
    if known is None or not fleet.source_of(known):
        status = Status.CONFLICT if known is None else Status.UNSUPPORTED
        reason = f"there is no host {name} any more" if known is None else f"no source of hosts takes {name}"
        for change in changes:
            run.conclude(Outcome(change, status, reason))
        return
    left = list(changes)
    try:
        with session_with(fleet, known) as session:
            while left and not run.ports.stopping():
                outcome, state = make_on_host(session, judged.allowed(left[0]), run.intend, run.judge)
                run.conclude(outcome)
                left.pop(0)
                _keep(known, state, run, hosts_read)
    except AdzeguardError as error:
        for change in left:
            run.conclude(Outcome(change, Status.UNREACHABLE, error.message))
