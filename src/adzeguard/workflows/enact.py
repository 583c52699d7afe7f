"""Enact: the one road by which anything is written."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any, Final

from adzeguard.core.change.change import Change, Order
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.judge import Allowed, Judged
from adzeguard.core.change.guards.lockout import keepers_stay, lockouts
from adzeguard.core.change.guards.logon import both, logons_stay
from adzeguard.core.change.kinds.change_folder_rights import ChangeFolderRights
from adzeguard.core.change.kinds.create_object import DeleteObject
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.outcome import MADE, Outcome, Status
from adzeguard.core.errors import DirectoryError, ProposalFileError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.rows import Observed, object_key
from adzeguard.core.identity import Sid, sid_of_dn
from adzeguard.core.values import dataclass
from adzeguard.directory.decode import observe
from adzeguard.directory.executors.table import make_in_directory
from adzeguard.directory.port import DirectoryDriver, Entry
from adzeguard.shares.executor import make_on_share
from adzeguard.store.notes import make_note
from adzeguard.workflows.collect import read_host
from adzeguard.workflows.interrupted import Interrupted
from adzeguard.workflows.on_hosts import change_hosts, put_back_halves
from adzeguard.workflows.outcome_of_begun import outcome_of_begun
from adzeguard.workflows.run import Ports, Report, Run

_UNDONE: Final = {Status.CONFLICT, Status.REFUSED, Status.UNREACHABLE, Status.DIFFERS, Status.UNSUPPORTED}


def _goes_first(change: Change) -> bool:
    """New objects and additions: what is taken away afterwards may rely on them."""
    return change.order <= Order.ADD


@dataclass(frozen=True, slots=True)
class Enacted:
    """What became of the changes of which it is known, in their order, and how many are left to be gone on with."""

    outcomes: Sequence[Outcome]
    left: int


def enact_judged(
    judged: Judged,
    ports: Ports,
    report: Report,
    earlier: Interrupted | None = None,
    about: Mapping[str, Any] | None = None,
) -> Enacted:
    """Make the changes in their order, and store what was read back.

    Additions come first, then removals. A removal is held back when an addition to the same host failed, or when
    without the failed additions it would lock somebody out. `earlier` is the interrupted enactment that this one goes
    on with: what it concluded is not done again, and what it began is looked at first. Where the operator stops it,
    what is left stays to be gone on with. `about` is what else the journal keeps of it: who has said yes, and whether
    nobody watched.
    """
    whole = earlier.proposal if earlier is not None else judged.proposal
    estate = judged.case.estate
    if whole.domain_sid != estate.domain.sid:
        raise ProposalFileError("the proposal was made for another domain", "Make one here: adzeguard propose")
    if not whole.changes:
        return Enacted((), 0)
    started = ports.clock()
    if earlier is None:
        run = Run(ports, f"e{started:%Y%m%d-%H%M%S-%f}", report)
        run.write("begin", {"proposal": whole.model_dump(mode="json"), **(about or {})})
    else:
        run = _resumed(ports, earlier, report)
    case = replace(judged.case, changes=whole.changes)
    run.judge = both(keepers_stay(case), logons_stay(case))
    waiting = run.left(judged.proposal.changes)
    hosts_read: dict[str, Host] = {}
    moves = _moves_of_hosts(estate, whole.changes)
    _make([c for c in waiting if c in moves.values()], judged, run, hosts_read)
    waiting = _not_relying_on_moves(run.left(waiting), moves, run)
    _make([c for c in waiting if _goes_first(c)], judged, run, hosts_read)
    if not ports.stopping():
        allowed = _not_held_back([c for c in waiting if not _goes_first(c)], run, case)
        _make(allowed, judged, run, hosts_read)
    _settle(run, estate)
    put_back_halves(judged, run, hosts_read)
    _store_what_was_read(run, estate, hosts_read, started)
    left = len(run.left(whole.changes))
    if not left:
        run.end()
    return Enacted(run.in_order(), left)


def drop_enactment(earlier: Interrupted, estate: Estate, ports: Ports, report: Report) -> Enacted:
    """End an interrupted enactment for good: see what became of what was begun, and make nothing more."""
    started = ports.clock()
    run = _resumed(ports, earlier, report)
    for change in earlier.left:
        made = outcome_of_begun(ports, estate, change) if change.id in earlier.begun else None
        run.conclude(made or Outcome(change, Status.HELD_BACK, "dropped before it was made"))
    _store_what_was_read(run, estate, {}, started)
    run.end()
    return Enacted(run.in_order(), 0)


def _resumed(ports: Ports, earlier: Interrupted, report: Report) -> Run:
    begun = frozenset(change.id for change in earlier.left) & earlier.begun.keys()
    return Run(ports, earlier.name, report, list(earlier.outcomes), begun, dict(earlier.begun))


def _moves_of_hosts(estate: Estate, changes: Sequence[Change]) -> dict[str, MoveObject]:
    """Return by the folded names of hosts the move of each that is itself changed too."""
    touched = {change.host_name.casefold() for change in changes if change.host_name}
    hosts = {name: estate.hosts_by_name[name] for name in touched if name in estate.hosts_by_name}
    sids = {str(host.sid): name for name, host in hosts.items() if host.sid}
    moves = [change for change in changes if isinstance(change, MoveObject)]
    return {sids[move.object.sid]: move for move in moves if move.object.sid in sids}


def _not_relying_on_moves(changes: Sequence[Change], moves: Mapping[str, MoveObject], run: Run) -> list[Change]:
    """Hold back what is to be done on a host that was not moved: it was meant for the place where it would be.

    Somebody else may have put it elsewhere meanwhile, and what holds there is not what was proposed.
    """
    failed = {o.change.id for o in run.outcomes if o.status in _UNDONE and not o.already}
    kept: list[Change] = []
    for change in changes:
        move = moves.get(change.host_name.casefold()) if change.host_name else None
        if move is None or move.id not in failed:
            kept.append(change)
        else:
            detail = f"{change.host_name} was not moved, on which this relies"
            run.conclude(Outcome(change, Status.HELD_BACK, detail))
    return kept


def _settle(run: Run, estate: Estate) -> None:
    """Look once more at what was written without an answer: a write may have been made though its answer was lost."""
    for outcome in list(run.outcomes):
        if outcome.status == Status.UNREACHABLE and outcome.change.id in run.intended:
            made = outcome_of_begun(run.ports, estate, outcome.change)
            if made is not None:
                run.settle(Outcome(outcome.change, Status.VERIFIED, "no answer came, and it was made"))


def _not_held_back(removals: Sequence[Change], run: Run, case: Case) -> list[Change]:
    # What was so already is no addition that failed: it stands.
    undone = [o for o in run.outcomes if o.status in _UNDONE and not o.already]
    failed = {o.change.id: o.change for o in undone if _goes_first(o.change)}
    if not failed:
        return list(removals)
    lacking = {change.host_name for change in failed.values() if change.host_name}
    unreached = {o.change.host_name for o in run.outcomes if o.status == Status.UNREACHABLE}
    done = [outcome.change for outcome in run.outcomes if outcome.change.id not in failed]
    allowed = [change for change in removals if change.host_name not in lacking]
    dangerous = next(lockouts(replace(case, changes=[*done, *allowed])), "")
    for change in removals:
        if change.host_name in lacking:
            detail = f"an addition on {change.host_name} did not come about"
            for_later = change.host_name in unreached
            run.conclude(Outcome(change, Status.HELD_BACK, detail, relies_on_unreached=for_later))
        elif dangerous:
            run.conclude(Outcome(change, Status.HELD_BACK, f"without the additions that failed, {dangerous}"))
    return [] if dangerous else allowed


def _make(changes: Iterable[Change], judged: Judged, run: Run, hosts_read: dict[str, Host]) -> None:
    on_hosts: dict[str, list[Change]] = {}
    lost = ""
    for change in changes:
        if run.ports.stopping():
            return
        if change.is_note:
            run.conclude(make_note(run.ports.store.database, judged.allowed(change), run.intend))
        elif change.host_name:
            on_hosts.setdefault(change.host_name, []).append(change)
        elif change.share_server:
            _make_on_share(judged.allowed(change), run)
        elif lost:
            run.conclude(Outcome(change, Status.UNREACHABLE, lost))
        else:
            outcome = make_in_directory(run.ports.directory, judged.allowed(change), run.intend)
            run.conclude(outcome)
            # Of several domains another one may well answer; one that does not is found out at once the next time.
            one_domain = not judged.case.estate.domain.others
            lost = outcome.detail if outcome.status == Status.UNREACHABLE and one_domain else ""

    change_hosts(on_hosts, judged, run, hosts_read)


def _make_on_share(allowed: Allowed, run: Run) -> None:
    change = allowed.change
    done = make_on_share(run.ports.shares.get(change.share_server.casefold()), allowed, run.intend)
    run.conclude(done.outcome)
    if done.descriptor and isinstance(change, ChangeFolderRights):
        run.ports.store.write_folder(change.server, change.share, change.path, done.descriptor)


def _store_what_was_read(run: Run, estate: Estate, hosts_read: dict[str, Host], started: datetime) -> None:
    """Bring the store up to what is now true, so that the next look does not need a collection.

    What cannot be read again, now or because an earlier try read it, is left to the next collection.
    """
    ports = run.ports
    made = [outcome.change for outcome in run.outcomes if not outcome.change.is_note]
    if not made:
        return
    in_directory = [change for change in made if not change.host_name]
    observed = _read_again(in_directory, ports.directory, several=bool(estate.domain.others))
    # What was refused lives on, though its intent told its end; what was found gone was deleted by an earlier try.
    deleted = [o.change for o in run.outcomes if o.status in MADE]
    gone = [key for change in deleted if (key := _key_of_deleted(run.intended.get(change.id)))]
    for name in {change.host_name for change in made if change.host_name} - hosts_read.keys():
        known = estate.hosts_by_name.get(name.casefold())
        again = read_host(ports.hosts, known, known) if known else None
        if again is not None:
            hosts_read[name] = again
    facts = ports.store.latest().facts.of_an_enactment(started, ports.clock())
    ports.store.write_observed(facts, observed, hosts_read.values(), removed=gone)


def _key_of_deleted(change: Change | None) -> bytes:
    """Return by what the store knows an object that was deleted: the intent kept its GUID, if it had one."""
    if not isinstance(change, DeleteObject):
        return b""
    guid = next((a.before[0] for a in change.attributes if a.name.casefold() == "objectguid" and a.before), None)
    return object_key(guid, change.object.sid, change.object.dn)


def _read_again(changes: Sequence[Change], directory: DirectoryDriver, *, several: bool) -> list[Observed]:
    """Read every group, account and object that was touched, and what lies below those that moved or hand rights on.

    Of `several` domains one that is off does not keep the others from being read.
    """
    touched = [change.touches() for change in changes]
    entries = sorted({dn for one in touched for dn in one.entries})
    below = sorted({dn for one in touched for dn in one.below})
    foreign = {c.member.sid for c in changes if isinstance(c, MembershipChange) and sid_of_dn(c.member.dn)}
    readings: list[Callable[[], Iterable[Entry | None]]] = [
        *((lambda sid=sid: [directory.read_by_sid(Sid(sid))]) for sid in sorted(foreign)),
        *((lambda dn=dn: [directory.read(dn)]) for dn in entries),
        *((lambda dn=dn: directory.entries_below(dn)) for dn in below),
    ]
    observed_by_key: dict[bytes, Observed] = {}
    for reading in readings:
        try:
            for entry in reading():
                seen = observe(entry) if entry is not None else None
                observed_by_key |= {seen.row.key: seen} if seen is not None else {}
        except DirectoryError:
            if not several:
                break
    return list(observed_by_key.values())
