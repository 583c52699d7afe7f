"""Memberships with an end: begun, extended, and ended by hand."""

from collections.abc import Callable
from dataclasses import field, replace
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from adzeguard.core.change.by_hand.members import memberships_by_hand
from adzeguard.core.change.by_hand.on_host import local_group, members_on
from adzeguard.core.change.change import BY_HAND_RULE
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.kinds.set_note import SetNote, set_note
from adzeguard.core.change.kinds.switch_on_ending_links import SwitchOnEndingLinks
from adzeguard.core.errors import InputError, UsageError
from adzeguard.core.estate.names import resolve, resolve_host
from adzeguard.core.time.lease import Lease, last_end, stood_before
from adzeguard.core.values import dataclass
from adzeguard.core.views.leases import leases_table, planned_in
from adzeguard.core.views.table import Table
from adzeguard.core.wording import when, when_utc
from adzeguard.directory.port import EndsLinks, LinkEnds
from adzeguard.store.leases import Leases
from adzeguard.workflows.contracts import contract_of
from adzeguard.workflows.leases import end_moved, ending, giving, is_inside, lease_named, note_ended
from adzeguard.workspace.notes import note
from adzeguard.workspace.sealing import say_what_is_odd
from adzeguard.workspace.somebody import somebody

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

Enact = Callable[[Callable[[], Draft]], int]
"""Enacts a draft as the frontend does, and returns its exit code, 0 when all of it stands."""


@dataclass(frozen=True)
class Asked:
    """Who is to be where, until when or for how long, or until the contract ends; and why."""

    person: str
    group: str
    length: timedelta | None = None
    until: datetime | None = None
    with_contract: bool = False
    host: str = ""
    why: str = ""


@dataclass
class Beginning:
    """A lease that is being begun: its draft, and what is noted of it afterwards."""

    workspace: "Workspace"
    asked: Asked
    _end: datetime = field(init=False)
    _begun: list[Lease] = field(default_factory=list)

    def __post_init__(self) -> None:
        """Find the end; `UsageError` where there is none, or it is over."""
        asked = self.asked
        if asked.with_contract and (asked.length is not None or asked.until is not None):
            raise UsageError(
                "it ends with the contract, or at a time: give --with-contract alone, or --for, or --until"
            )
        until = _contract_end(self.workspace, asked.person) if asked.with_contract else asked.until
        self._end = end_of(self.workspace, asked.length, until, length_is_limited=not asked.with_contract)

    def draft(self) -> Draft:
        """Return what gives the membership. The lease is noted first: a program that is killed forgets no end."""
        workspace, asked, table = self.workspace, self.asked, Leases(self.workspace.database)
        member = somebody(workspace, asked.person, let_in=not asked.host)
        estate = workspace.estate
        reason = f"lease until {when_utc(self._end)}{f': {asked.why}' if asked.why else ''}"
        if asked.host:
            at = resolve_host(estate, asked.host)
            made = members_on(estate, at, asked.group, [asked.person], reason, add=True)
            named = local_group(at, asked.group)
            sid, where, about = str(named.sid), at.name, named.name
        else:
            bearer = resolve(estate, asked.group)
            made = memberships_by_hand(estate, [(bearer, member)], (), reason)
            sid, where, about = str(bearer.sid or ""), "", bearer.qualified_name
        if not (member.sid and sid):
            raise UsageError(f"{member.qualified_name} and {about} must both have a SID for a lease")
        now, by = workspace.now(), workspace.operator()
        name, whom = table.next_id(), (member.qualified_name, str(member.sid))
        lease = Lease(name, *whom, about, sid, where, now, self._end, by, asked.why, contract=asked.with_contract)
        others = table.all()
        before = stood_before(lease, others, inside=is_inside(estate, lease))
        if before:
            raise UsageError(
                f"{member.qualified_name} is in {about} already, and for good: a lease would end nothing",
                "Take them out first: adzeguard group remove, on a host with --on; then give the lease",
            )
        by_itself = not (asked.host or before) and workspace.ends_leases_by_itself
        lease = replace(lease, state="starting", stood_before=before, by_itself=by_itself)
        self._begun.append(lease)
        table.write(lease)
        if not by_itself:
            return made
        # A member by another lease stays until the last of them ends.
        ends = [one.until for one in others if one.is_open and one.by_itself and one.pair == lease.pair]
        moved = end_moved(estate, lease, max(ends, default=None), others)
        return replace(made, changes=(*giving(estate, lease), *moved), left_out=() if moved else made.left_out)

    def settle(self) -> None:
        """Note whether what was to begin has begun; where nothing was made, it never did."""
        self.workspace.look_anew()
        table = Leases(self.workspace.database)
        for lease in self._begun:
            if is_inside(self.workspace.estate, lease):
                table.write(replace(lease, state="running"))
                stood = " Stood before, and stays after it." if lease.stood_before else ""
                alone = " The directory ends it by itself." if lease.by_itself else ""
                until = when(lease.until)
                self.workspace.frontend.say(f"{lease.id} runs until {until}.{stood}{alone}")
            else:
                table.forget(lease)


def extend(
    workspace: "Workspace", name: str, end: datetime, enact: Enact, without_approval: str = "", why: str = ""
) -> int:
    """Let a lease end at another time, first in the directory where that ends it; return the exit code of that."""
    table = Leases(workspace.database)
    found = lease_named(table.all(), name)
    later = replace(found, until=end)
    if not (found.host or found.stood_before) and workspace.ends_leases_by_itself:
        later = replace(later, by_itself=True)
        others = [one for one in table.all() if one.id != found.id]
        moved = end_moved(workspace.estate, later, last_end(found, others) if found.by_itself else None, others)
        code = enact(lambda: Draft.of(moved).because(why)) if moved else 0
        if code != 0:
            workspace.frontend.say(f"{found.id} runs as it did, until {when(found.until)}.")
            return code

    def extended() -> list[SetNote]:
        # Somebody else may have extended it meanwhile: read again where nobody else can write.
        standing = lease_named(table.all(), name)
        to = replace(standing, until=end, by_itself=later.by_itself, extended=standing.extended + 1, contract=False)
        return [set_note(standing, to, f"lease {standing.id} ends at another time{f': {why}' if why else ''}")]

    note(workspace, extended, without_approval)
    workspace.frontend.say(f"{found.id} runs until {when(end)}.")
    return 0


def end_now(workspace: "Workspace", name: str, enact: Enact, why: str = "") -> int:
    """End a lease: what it gave is taken away. Return the exit code, 0 where it has ended."""
    table = Leases(workspace.database)
    found = lease_named(table.all(), name)
    code = enact(lambda: Draft.of(ending(workspace.estate, [found], table.all())).because(why))
    workspace.look_anew()
    left = note_ended(table, [found], workspace.estate, workspace.now())
    workspace.frontend.say(f"{found.id} {'still runs' if left else 'has ended'}.")
    # What somebody, or the directory itself, has taken away already needs no change to have ended.
    return code if left else 0


def listed(workspace: "Workspace", *, everything: bool = False) -> Table:
    """Return the leases that run, or all that ever did, with those of the charter."""
    say_what_is_odd(workspace, "lease")
    shown = [one for one in Leases(workspace.database).all() if everything or one.is_open]
    today = workspace.now().astimezone().date()
    planned = [one for one in planned_in(workspace.written_charter) if everything or one.last >= today]
    return leases_table(shown, workspace.now(), planned)


def end_of(
    workspace: "Workspace", length: timedelta | None, until: datetime | None, *, length_is_limited: bool = True
) -> datetime:
    """Return the end that a length or a moment means, in UTC; `UsageError` for both, neither, over or too far off."""
    if (length is None) == (until is None):
        raise UsageError("say how long: --for 2h, or --until TIME")
    end = (workspace.now() + length if length is not None else until or workspace.now()).astimezone(UTC)
    if end <= workspace.now():
        raise UsageError(f"{when(end)} is over", "Name a time to come")
    longest = workspace.settings.longest_lease_days
    if length_is_limited and end - workspace.now() > timedelta(days=longest):
        raise UsageError(
            f"no lease is for longer than {longest} day{'s' * (longest != 1)}",
            "Name an earlier time, or set [leases] longest_days",
        )
    return end


def directory_ends_links(workspace: "Workspace") -> tuple[str, LinkEnds]:
    """Return the name of the domain, and whether its directory can end memberships by itself."""
    with workspace.directory() as directory:
        domain = directory.facts().domain.dns_name
        able = directory.link_ends() if isinstance(directory, EndsLinks) else LinkEnds(known=False, on=False)
    return domain, able


def switching_on(domain: str, able: LinkEnds) -> Draft:
    """Return what lets the directory end links by itself, for good; `UsageError` where it cannot be switched on."""
    why_not = _why_not(able)
    if why_not:
        raise UsageError(f"nothing is switched on: {why_not}", "See: adzeguard lease support")
    return Draft.of([SwitchOnEndingLinks(domain=domain, rule=BY_HAND_RULE, why="asked for by hand")])


def _why_not(able: LinkEnds) -> str:
    """Return why it cannot be switched on; empty where it can."""
    if not able.known:
        return "this directory cannot end links by itself"
    if able.on:
        return "the directory ends links by itself already"
    if able.level < able.needed_level:
        return f"the forest is of level {able.level}, and it takes {able.needed_level}"
    return ""


def _contract_end(workspace: "Workspace", person: str) -> datetime:
    member, attribute = resolve(workspace.estate, person), workspace.settings.contract_attribute
    way_out = "Say how long: --for 2h, or name the attribute: [leases] contract_attribute in adzeguard.toml"
    with workspace.directory() as directory:
        try:
            end = contract_of(directory, str(member.sid), attribute) if member.sid else None
        except InputError as error:
            raise UsageError(f"{attribute} of {member.qualified_name}: {error.message}", way_out) from error
    if end is None:
        raise UsageError(f"{attribute} of {member.qualified_name} says no end of a contract", way_out)
    return end
