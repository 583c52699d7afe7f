"""The changes of hosts: many hosts at once, each done whole, left for later, or put back."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.outcome import Outcome, Status
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.hosts.careful import session_with
from adzeguard.hosts.executor import make_on_host
from adzeguard.workflows.fan_out import over_hosts
from adzeguard.workflows.run import Run

_WORDS: Final = {Status.REFUSED: "refused", Status.DIFFERS: "read back otherwise"}
_FAILED: Final = frozenset(_WORDS)
HostsRead = dict[str, Host]
"""Hosts by name, as they were read last."""


def change_hosts(by_host: Mapping[str, Sequence[Change]], run: Run, estate: Estate, hosts_read: HostsRead) -> None:
    """Make the changes of hosts, those of one host one after the other."""
    ports = run.ports

    def on_one(name: str) -> None:
        ports.pace.turn(ports.stopping)
        if not ports.stopping():
            _change_host(name, by_host[name], run, estate, hosts_read)

    for _ in over_hosts(list(by_host), on_one, in_a_task=1, at_once=ports.pace.at_once):
        pass


def put_back_halves(changes: Iterable[Change], run: Run, estate: Estate, hosts_read: HostsRead) -> None:
    """Take back what was made on each host that refused something else: it stands as before, or it is done whole.

    A host that did not answer is not put back: what is left for it is made when it does.
    """
    open_hosts = {change.host_name for change in run.left(changes)}
    failed = {o.change.host_name: o for o in run.outcomes if o.change.host_name and o.status in _FAILED}
    made = {name: [o.change for o in run.outcomes if _is_made_on(name, o)] for name in failed if name not in open_hosts}
    halves = [name for name, those in made.items() if those]

    def on_one(name: str) -> None:
        _put_back(made[name], failed[name], run, estate, hosts_read)

    for _ in over_hosts(halves, on_one, in_a_task=1, at_once=run.ports.pace.at_once):
        pass


def _is_made_on(name: str, outcome: Outcome) -> bool:
    return outcome.change.host_name == name and outcome.status == Status.VERIFIED and not outcome.already


def _put_back(made: Sequence[Change], because: Outcome, run: Run, estate: Estate, hosts_read: HostsRead) -> None:
    known = estate.hosts_by_name[made[0].host_name.casefold()]
    detail = f"taken back, since '{because.change.in_words()}' was {_WORDS[because.status]}"
    try:
        with session_with(run.ports.hosts, known) as session:
            for change in reversed(made):
                back = change.taken_back(change, {})
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


def _change_host(name: str, changes: Sequence[Change], run: Run, estate: Estate, hosts_read: HostsRead) -> None:
    fleet, known = run.ports.hosts, estate.hosts_by_name.get(name.casefold())
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
                outcome, state = make_on_host(session, left[0], run.intend, run.judge)
                run.conclude(outcome)
                left.pop(0)
                _keep(known, state, run, hosts_read)
    except AdzeguardError as error:
        for change in left:
            run.conclude(Outcome(change, Status.UNREACHABLE, error.message))
