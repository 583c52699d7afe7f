"""adzeguard lease: memberships with an end."""

import sys
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.moments import COMING, LENGTH
from adzeguard.cli.opening import opened
from adzeguard.cli.options import (
    Answers,
    card_options,
    enacting_options,
    example,
    listing_options,
    why_option,
    workspace_option,
)
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import DeclinedError, UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.lease import Lease
    from adzeguard.directory.port import LinkEnds


@click.group(
    "lease",
    cls=CommandGroup,
    instead={"add": "adzeguard lease start", "give": "adzeguard lease start"},
    epilog=example("adzeguard lease list"),
)
def command() -> None:
    """Give memberships that end: begin, extend and end leases, and list them.

    Ended is what is over by adzeguard round, which cron or a timer runs; and before that by the directory itself, where
    it can: adzeguard lease support.
    """


@command.command("start", epilog=example("adzeguard lease start orla.fenn 'LOWMERE\\Chart Writers' --for 2h"))
@click.argument("person", shell_complete=names())
@click.argument("group", shell_complete=names("group"))
@click.option("--for", "length", type=LENGTH, metavar="LENGTH", help="How long: 30m, 2h, 3d, 1w.")
@click.option("--until", type=COMING, metavar="TIME", help="Until when: 2026-11-27T18:00.")
@click.option("--with-contract", is_flag=True, help="Until the contract ends that stands in PERSON's account.")
@click.option("--on", "host", default="", metavar="HOST", help="GROUP is a local group of this host.")
@why_option
@enacting_options
@workspace_option
def start(
    person: str,
    group: str,
    length: timedelta | None,
    until: datetime | None,
    with_contract: bool,
    host: str,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Put PERSON into GROUP until a time. What stood before is not taken away at the end.

    With --with-contract the lease ends when the contract does, as [leases] contract_attribute of the account says it:
    accountExpires unless adzeguard.toml names another. Rounds follow where that date is moved.
    """
    from adzeguard.core.change.by_hand.members import memberships_by_hand
    from adzeguard.core.change.by_hand.on_host import local_group, members_on
    from adzeguard.core.estate.names import resolve, resolve_host
    from adzeguard.core.time.lease import Lease, stood_before
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import end_moved, giving, is_inside

    _not_into_a_file(answers)
    workspace = opened(folder)
    if with_contract and (length is not None or until is not None):
        raise UsageError("it ends with the contract, or at a time: give --with-contract alone, or --for, or --until")
    end = _end(workspace, None, _contract_end(workspace, person)) if with_contract else _end(workspace, length, until)
    table = Leases(workspace.database)
    begun: list[Lease] = []

    def draft() -> "Draft":
        estate = workspace.estate
        reason = f"lease until {end:%Y-%m-%d %H:%M} UTC{f': {why}' if why else ''}"
        member = resolve(estate, person)
        if host:
            at = resolve_host(estate, host)
            made = members_on(estate, at, group, [person], reason, add=True)
            named = local_group(at, group)
            sid, where, about = named.sid, at.name, named.name
        else:
            bearer = resolve(estate, group)
            made = memberships_by_hand(estate, [(bearer, member)], (), reason)
            sid, where, about = str(bearer.sid or ""), "", bearer.qualified_name
        if not (member.sid and sid):
            raise UsageError(f"{member.qualified_name} and {about} must both have a SID for a lease")
        lease = Lease(
            table.next_id(),
            member.qualified_name,
            str(member.sid),
            about,
            sid,
            where,
            workspace.now(),
            end,
            workspace.operator(),
            why,
        )
        others = table.all()
        before = stood_before(lease, others, inside=is_inside(estate, lease))
        by_itself = not (host or before) and workspace.ends_leases_by_itself
        begun.append(replace(lease, state="starting", stood_before=before, by_itself=by_itself, contract=with_contract))
        table.write(begun[-1])
        if not by_itself:
            return made
        # Whoever is inside by another lease stays until the last of them ends.
        ends = [one.until for one in others if one.is_open and one.by_itself and one.pair == lease.pair]
        moved = end_moved(estate, begun[-1], max(ends, default=None), others)
        return replace(made, changes=(*giving(estate, begun[-1]), *moved), left_out=() if moved else made.left_out)

    try:
        code = enact_draft(workspace, draft, answers)
    except BaseException:
        _settle(workspace, begun)
        raise
    _settle(workspace, begun)
    return code


def _settle(workspace: Workspace, begun: "list[Lease]") -> None:
    """Write down whether what was to begin has begun; where nothing was made, it never did."""
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import is_inside

    workspace.look_anew()
    table = Leases(workspace.database)
    for lease in begun:
        if is_inside(workspace.estate, lease):
            table.write(replace(lease, state="running"))
            stood = " Stood before, and stays after it." if lease.stood_before else ""
            alone = " The directory ends it by itself." if lease.by_itself else ""
            say(f"{lease.id} runs until {lease.until.astimezone():%Y-%m-%d %H:%M}.{stood}{alone}")
        else:
            table.forget(lease)


def _contract_end(workspace: Workspace, person: str) -> datetime:
    from adzeguard.core.errors import InputError
    from adzeguard.core.estate.names import resolve
    from adzeguard.workflows.contracts import contract_of

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


def _not_into_a_file(answers: Answers) -> None:
    if answers.only_propose is not None:
        raise UsageError(
            "a lease is not proposed into a file: whoever enacted that would give it without its end",
            "Write it into a rule, as lease: {PERSON: LAST-DAY}; such a proposal carries it",
        )


def _end(workspace: Workspace, length: timedelta | None, until: datetime | None) -> datetime:
    if (length is None) == (until is None):
        raise UsageError("say how long: --for 2h, or --until TIME")
    end = (workspace.now() + length if length is not None else until or workspace.now()).astimezone(UTC)
    if end <= workspace.now():
        raise UsageError(f"{end:%Y-%m-%d %H:%M} UTC is over", "Name a time to come")
    return end


@command.command("extend", epilog=example("adzeguard lease extend L1 --for 1h"))
@click.argument("lease")
@click.option("--for", "length", type=LENGTH, metavar="LENGTH", help="How long from now: 30m, 2h, 3d, 1w.")
@click.option("--until", type=COMING, metavar="TIME", help="Until when: 2026-11-27T18:00.")
@enacting_options
@workspace_option
def extend(lease: str, length: timedelta | None, until: datetime | None, answers: Answers, folder: Path | None) -> int:
    """Let a lease end at another time. How often that was done is kept.

    It stands in the journal and can be undone. Nothing is asked where nothing is written to the directory: where that
    ends leases by itself, it is told first. To let somebody stay longer in what needs approval, needs it again.
    """
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.kinds.set_note import SetNote, set_note
    from adzeguard.core.time.lease import last_end
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import end_moved, lease_named
    from adzeguard.workspace.notes import note

    _not_into_a_file(answers)
    workspace = opened(folder)
    end = _end(workspace, length, until)
    table = Leases(workspace.database)
    found = lease_named(table.all(), lease)
    later = replace(found, until=end)
    if not (found.host or found.stood_before) and workspace.ends_leases_by_itself:
        later = replace(later, by_itself=True)
        others = [one for one in table.all() if one.id != found.id]
        moved = end_moved(workspace.estate, later, last_end(found, others) if found.by_itself else None, others)
        code = enact_draft(workspace, lambda: Draft.of(moved), answers) if moved else Exit.NOTHING_TO_REPORT
        if code != Exit.NOTHING_TO_REPORT:
            say(f"{found.id} runs as it did, until {found.until.astimezone():%Y-%m-%d %H:%M}.")
            return code

    def extended() -> list[SetNote]:
        # Somebody else may have extended it meanwhile: read again where nobody else can write.
        standing = lease_named(table.all(), lease)
        to = replace(standing, until=end, by_itself=later.by_itself, extended=standing.extended + 1, contract=False)
        return [set_note(standing, to, f"lease {standing.id} ends at another time")]

    note(workspace, extended, answers.without_approval)
    say(f"{found.id} runs until {end.astimezone():%Y-%m-%d %H:%M}.")
    return Exit.NOTHING_TO_REPORT


@command.command("end", epilog=example("adzeguard lease end L1"))
@click.argument("lease")
@enacting_options
@workspace_option
def end(lease: str, answers: Answers, folder: Path | None) -> int:
    """End a lease now: what it gave is taken away."""
    from adzeguard.core.change.draft import Draft
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import ending, lease_named, note_ended

    workspace = opened(folder)
    table = Leases(workspace.database)
    found = lease_named(table.all(), lease)
    code = enact_draft(
        workspace, lambda: Draft.of(ending(workspace.estate, [found], table.all())), answers, gives_back=True
    )
    workspace.look_anew()
    left = note_ended(table, [found], workspace.estate, workspace.now())
    say(f"{found.id} {'still runs' if left else 'has ended'}.")
    # What somebody, or the directory itself, has taken away already needs no change to have ended.
    return code if left else Exit.NOTHING_TO_REPORT


@command.command("list", epilog=example("adzeguard lease list"))
@click.option("--all", "everything", is_flag=True, help="Also those that have ended.")
@listing_options
@workspace_option
def list_leases(everything: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """List who is where until when, by whom and why, and how long it still is; those of the charter among them.

    Keys of json and csv: id, member, group, host, until, left_seconds, by, why, state, late_seconds, extended,
    by_itself, contract.
    """
    from adzeguard.core.views.leases import leases_table, planned_in
    from adzeguard.store.leases import Leases

    workspace = opened(folder)
    shown = [one for one in Leases(workspace.database).all() if everything or one.is_open]
    planned = [
        one
        for one in planned_in(workspace.written_charter)
        if everything or one.last >= workspace.now().astimezone().date()
    ]
    put_view(leases_table(shown, workspace.now(), planned), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("support", epilog=example("adzeguard lease support"))
@click.option("--switch-on", is_flag=True, help="Let the directory end links by itself, for good; asks for its name.")
@card_options
@workspace_option
def support(switch_on: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Say whether the directory can end leases by itself, and does. Rounds end them in any case.

    Keys of json: known, on, level, needed_level.
    """
    from adzeguard.core.views.lease_support import support_page
    from adzeguard.directory.port import EndsLinks, LinkEnds

    workspace = opened(folder)
    with workspace.directory() as directory:
        domain = directory.facts().domain.dns_name
        able = directory.link_ends() if isinstance(directory, EndsLinks) else LinkEnds(known=False, on=False)
    if switch_on:
        return _switched_on(workspace, domain, able)
    put_view(support_page(able.known, able.on, able.level, able.needed_level), form, output)
    return Exit.NOTHING_TO_REPORT


def _switched_on(workspace: Workspace, domain: str, able: "LinkEnds") -> int:
    from adzeguard.core.change.change import BY_HAND_RULE
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.kinds.switch_on_ending_links import SwitchOnEndingLinks

    why_not = _why_not(able)
    if why_not:
        raise UsageError(f"nothing is switched on: {why_not}", "See: adzeguard lease support")
    if not sys.stdin.isatty():
        raise UsageError("nothing is switched on without somebody at a terminal who types the name of the domain")
    say(f"From then on {domain}, with every domain of its forest, keeps ends of links. That can never be switched off.")
    if click.prompt("The name of the domain", err=True).strip().casefold() != domain.casefold():
        raise DeclinedError("nothing was switched on: that is not its name")
    change = SwitchOnEndingLinks(domain=domain, rule=BY_HAND_RULE, why="asked for by hand")
    return enact_draft(workspace, lambda: Draft.of([change]), Answers(True, None, None, None, None, "table"))


def _why_not(able: "LinkEnds") -> str:
    """Return why it cannot be switched on; nothing where it can."""
    if not able.known:
        return "this directory cannot end links by itself"
    if able.on:
        return "the directory ends links by itself already"
    if able.level < able.needed_level:
        return f"the forest is of level {able.level}, and it takes {able.needed_level}"
    return ""
