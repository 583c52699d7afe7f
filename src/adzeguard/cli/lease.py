"""adzeguard lease: memberships with an end."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.desk import Desk
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import COMING, LENGTH
from adzeguard.cli.options import (
    Answers,
    enacting_options,
    example,
    listing_options,
    why_option,
    workspace_option,
)
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.lease import Lease


@click.group("lease", epilog=example("adzeguard lease list"))
def command() -> None:
    """Give memberships that end: begin, extend and end leases, and list them.

    Ended is what is over by adzeguard round, which cron or a timer runs.
    """


@command.command("start", epilog=example("adzeguard lease start orla.fenn 'LOWMERE\\Chart Writers' --for 2h"))
@click.argument("person", shell_complete=names())
@click.argument("group", shell_complete=names("group"))
@click.option("--for", "length", type=LENGTH, metavar="LENGTH", help="How long: 30m, 2h, 3d, 1w.")
@click.option("--until", type=COMING, metavar="TIME", help="Until when: 2026-11-27T18:00.")
@click.option("--on", "host", default="", metavar="HOST", help="GROUP is a local group of this host.")
@why_option
@enacting_options
@workspace_option
def start(
    person: str,
    group: str,
    length: timedelta | None,
    until: datetime | None,
    host: str,
    why: str,
    answers: Answers,
    workspace: Path | None,
) -> int:
    """Put PERSON into GROUP until a time. What stood before is not taken away at the end."""
    from adzeguard.core.change.by_hand.members import memberships_by_hand
    from adzeguard.core.change.by_hand.on_host import local_group, members_on
    from adzeguard.core.estate.names import resolve, resolve_host
    from adzeguard.core.time.lease import Lease, stood_before
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import is_inside

    if answers.only_propose is not None:
        raise UsageError(
            "a lease is not proposed into a file: whoever enacted that would give it without its end",
            "Write it into a rule, as lease: {PERSON: LAST-DAY}; such a proposal carries it",
        )
    desk = Desk(workspace)
    end = _end(desk, length, until)
    table = Leases(desk.database)
    begun: list[Lease] = []

    def draft() -> "Draft":
        estate = desk.estate
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
            desk.now(),
            end,
            desk.operator(),
            why,
        )
        begun.append(
            replace(
                lease, state="starting", stood_before=stood_before(lease, table.all(), inside=is_inside(estate, lease))
            )
        )
        table.write(begun[-1])
        return made

    try:
        code = enact_draft(desk, draft, answers)
    except BaseException:
        _settle(desk, begun)
        raise
    _settle(desk, begun)
    return code


def _settle(desk: Desk, begun: "list[Lease]") -> None:
    """Write down whether what was to begin has begun; where nothing was made, it never did."""
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import is_inside

    desk.look_anew()
    table = Leases(desk.database)
    for lease in begun:
        if is_inside(desk.estate, lease):
            table.write(replace(lease, state="running"))
            stood = " Stood before, and stays after it." if lease.stood_before else ""
            say(f"{lease.id} runs until {lease.until.astimezone():%Y-%m-%d %H:%M}.{stood}")
        else:
            table.forget(lease)


def _end(desk: Desk, length: timedelta | None, until: datetime | None) -> datetime:
    if (length is None) == (until is None):
        raise UsageError("say how long: --for 2h, or --until TIME")
    end = (desk.now() + length if length is not None else until or desk.now()).astimezone(UTC)
    if end <= desk.now():
        raise UsageError(f"{end:%Y-%m-%d %H:%M} UTC is over", "Name a time to come")
    return end


@command.command("extend", epilog=example("adzeguard lease extend L1 --for 1h"))
@click.argument("lease")
@click.option("--for", "length", type=LENGTH, metavar="LENGTH", help="How long from now: 30m, 2h, 3d, 1w.")
@click.option("--until", type=COMING, metavar="TIME", help="Until when: 2026-11-27T18:00.")
@workspace_option
def extend(lease: str, length: timedelta | None, until: datetime | None, workspace: Path | None) -> int:
    """Let a lease end at another time. How often that was done is kept."""
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import lease_named

    desk = Desk(workspace)
    end = _end(desk, length, until)
    with desk.held("lease extend"):
        table = Leases(desk.database)
        found = lease_named(table.all(), lease)
        table.write(replace(found, until=end, extended=found.extended + 1))
    say(f"{found.id} runs until {end.astimezone():%Y-%m-%d %H:%M}.")
    return Exit.NOTHING_TO_REPORT


@command.command("end", epilog=example("adzeguard lease end L1"))
@click.argument("lease")
@enacting_options
@workspace_option
def end(lease: str, answers: Answers, workspace: Path | None) -> int:
    """End a lease now: what it gave is taken away."""
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.lease import GIVEN_BACK
    from adzeguard.store.leases import Leases
    from adzeguard.workflows.leases import ending, lease_named, note_ended

    desk = Desk(workspace)
    table = Leases(desk.database)
    found = lease_named(table.all(), lease)
    code = enact_draft(desk, lambda: Draft.of(ending(desk.estate, [found], table.all())), answers, GIVEN_BACK)
    desk.look_anew()
    left = note_ended(table, [found], desk.estate, desk.now())
    say(f"{found.id} {'still runs' if left else 'has ended'}.")
    return code


@command.command("list", epilog=example("adzeguard lease list"))
@click.option("--all", "everything", is_flag=True, help="Also those that have ended.")
@listing_options
@workspace_option
def list_leases(everything: bool, form: str, output: Path | None, workspace: Path | None) -> int:
    """List who is where until when, by whom and why, and how long it still is; those of the charter among them.

    Keys of json and csv: id, member, group, host, until, left_seconds, by, why, state, late_seconds, extended.
    """
    from adzeguard.core.views.leases import leases_table, planned_in
    from adzeguard.store.leases import Leases

    desk = Desk(workspace)
    shown = [one for one in Leases(desk.database).all() if everything or one.is_open]
    planned = [
        one for one in planned_in(desk.written_charter) if everything or one.last >= desk.now().astimezone().date()
    ]
    put_view(leases_table(shown, desk.now(), planned), form, output)
    return Exit.NOTHING_TO_REPORT
