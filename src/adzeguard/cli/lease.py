"""adzeguard lease: memberships with an end."""

import sys
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.enacting import enact_draft, enact_work
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
    from adzeguard.directory.port import LinkEnds


@click.group(
    "lease",
    cls=CommandGroup,
    alone="list",
    instead={"add": "adzeguard lease start", "give": "adzeguard lease start"},
    epilog=example("adzeguard lease list"),
)
def command() -> None:
    """Give memberships that end: start, extend and end leases; alone, list them.

    adzeguard round ends leases that are over; run it from cron or a timer. Some directories end memberships
    themselves: adzeguard lease support.
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
    """Add PERSON to GROUP until a time. A membership that stood before stays at the end.

    With --with-contract the lease ends with the contract: at the date in the account's accountExpires, or in the
    attribute that [leases] contract_attribute names. If the date moves, rounds move the end.
    """
    from adzeguard.workspace.leases import Asked, Beginning

    _not_into_a_file(answers)
    workspace = opened(folder)
    asked = Asked(person, group, length, until, with_contract, host, why)
    return enact_work(workspace, Beginning(workspace, asked), answers)


def _not_into_a_file(answers: Answers) -> None:
    if answers.only_propose is not None:
        raise UsageError(
            "a lease is not proposed into a file: enacting that would give it without its end",
            "Write it into a rule, as lease: {PERSON: LAST-DAY}; such a proposal carries it",
        )


@command.command("extend", epilog=example("adzeguard lease extend L1 --for 1h"))
@click.argument("lease")
@click.option("--for", "length", type=LENGTH, metavar="LENGTH", help="How long from now: 30m, 2h, 3d, 1w.")
@click.option("--until", type=COMING, metavar="TIME", help="Until when: 2026-11-27T18:00.")
@why_option
@enacting_options
@workspace_option
def extend(
    lease: str,
    length: timedelta | None,
    until: datetime | None,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Let a lease end at another time. How often that was done is kept.

    An extension is written to the journal and can be undone. If the directory ends leases itself, its end is changed
    first, and you are asked. A lease in a group that needs approval needs it again.
    """
    from adzeguard.workspace.leases import end_of
    from adzeguard.workspace.leases import extend as extended

    _not_into_a_file(answers)
    workspace = opened(folder)
    end = end_of(workspace, length, until)
    return extended(
        workspace, lease, end, lambda make: enact_draft(workspace, make, answers), answers.without_approval, why
    )


@command.command("end", epilog=example("adzeguard lease end L1"))
@click.argument("lease")
@why_option
@enacting_options
@workspace_option
def end(lease: str, why: str, answers: Answers, folder: Path | None) -> int:
    """End a lease now: what it gave is taken away."""
    from adzeguard.workspace.leases import end_now

    workspace = opened(folder)
    return end_now(workspace, lease, lambda make: enact_draft(workspace, make, answers, gives_back=True), why)


@command.command("list", epilog=example("adzeguard lease list"))
@click.option("--all", "everything", is_flag=True, help="Also those that have ended.")
@listing_options
@workspace_option
def list_leases(everything: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """List leases, those of the charter included: who is where, until when, by whom and why."""
    from adzeguard.workspace.leases import listed

    put_view(listed(opened(folder), everything=everything), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("support", epilog=example("adzeguard lease support"))
@click.option("--switch-on", is_flag=True, help="Let the directory end links by itself, for good; asks for its name.")
@card_options
@workspace_option
def support(switch_on: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Say whether the directory ends leases by itself, or could. Rounds end them in any case."""
    from adzeguard.core.views.lease_support import support_page
    from adzeguard.workspace.leases import directory_ends_links

    workspace = opened(folder)
    domain, able = directory_ends_links(workspace)
    if switch_on:
        return _switched_on(workspace, domain, able)
    put_view(support_page(able.known, able.on, able.level, able.needed_level), form, output)
    return Exit.NOTHING_TO_REPORT


def _switched_on(workspace: Workspace, domain: str, able: "LinkEnds") -> int:
    from adzeguard.workspace.leases import switching_on

    draft = switching_on(domain, able)
    if not sys.stdin.isatty():
        raise UsageError("nothing is switched on without somebody at a terminal who types the name of the domain")
    say(f"From then on {domain}, with every domain of its forest, keeps ends of links. That can never be switched off.")
    if click.prompt("The name of the domain", err=True).strip().casefold() != domain.casefold():
        raise DeclinedError("nothing was switched on: that is not its name")
    return enact_draft(workspace, lambda: draft, Answers(yes=True))
