"""adzeguard trail: what a directory has logged itself."""

import sys
from collections.abc import Callable
from functools import partial
from pathlib import Path
from time import sleep
from typing import TYPE_CHECKING, BinaryIO

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import looking, opened
from adzeguard.cli.options import card_options, example, listing_options, workspace_option
from adzeguard.cli.output import put, put_view, say
from adzeguard.cli.progress import progress_bar
from adzeguard.core.errors import UsageError
from adzeguard.workspace.stopping import stopping

if TYPE_CHECKING:
    from adzeguard.workflows.trail import Imported

_STANDARD_INPUT = "-"
_LOOK_EVERY = 1.0
"""Seconds: nobody waits for less, and a look costs next to nothing."""


@click.group("trail", cls=CommandGroup, epilog=example("adzeguard trail support"))
def command() -> None:
    """Read the directory's own audit events, from which history answers who did what, and when."""


@command.command("import", epilog=example("adzeguard trail import /var/log/samba/audit.log"))
@click.argument("files", nargs=-1, required=True, metavar="FILE...")
@card_options
@workspace_option
def import_files(files: tuple[str, ...], form: str, output: Path | None, folder: Path | None) -> int:
    """Read logs into the store: plain, compressed by gzip, or - for standard input. Known events are not added again.

    Reads the JSON lines of a Samba server, event logs exported as XML, lines of syslog (RFC 5424) that carry one of
    these, and JSON lines of our own form: see the guide. Records that cannot be read are set aside with the reason: see
    adzeguard trail aside. Records that are not needed are counted by kind. Ends with 3 if a record was set aside, or a
    file held no record of a known form.
    """
    from adzeguard.core.views.trail import imported_page
    from adzeguard.workflows.trail import Imported, import_log

    workspace = opened(folder)
    done = Imported()
    empty: list[str] = []
    with progress_bar() as progress:
        for name in files:
            with _opened(name) as file:
                one = import_log(workspace.trail, file, name, partial(_tell, progress, name))
            done = _together(done, one)
            empty += [name] if not one.read else []
    put_view(
        imported_page(done.read, done.events, done.already_known, done.set_aside, done.reasons, done.passed_over),
        form,
        output,
    )
    for name in empty:
        say(f"{name} holds no record of a form that is known. See the forms: adzeguard trail import --help")
    return Exit.TO_REPORT if done.set_aside or empty else Exit.NOTHING_TO_REPORT


def _tell(progress: Callable[[str, int, int | None], None], name: str, read: int) -> None:
    progress(f"records of {name}", read, None)


def _opened(name: str) -> BinaryIO:
    if name == _STANDARD_INPUT:
        return sys.stdin.buffer
    try:
        return Path(name).open("rb")
    except OSError as error:
        raise UsageError(f"{name} cannot be read: {error.strerror}") from error


def _together(one: "Imported", other: "Imported") -> "Imported":
    from adzeguard.workflows.trail import Imported

    return Imported(
        one.read + other.read,
        one.events + other.events,
        one.already_known + other.already_known,
        one.set_aside + other.set_aside,
        _summed(one.reasons, other.reasons),
        _summed(one.passed_over, other.passed_over),
    )


def _summed(one: dict[str, int], other: dict[str, int]) -> dict[str, int]:
    return {key: one.get(key, 0) + other.get(key, 0) for key in {**one, **other}}


@command.command("follow", epilog=example("adzeguard trail follow trail.jsonl --once"))
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--once", is_flag=True, help="Read what is there by now, and end.")
@workspace_option
def follow(file: Path, once: bool, folder: Path | None) -> int:
    """Read a log of lines as it grows, from where it was read last, until it is stopped.

    Each line is read once, when it is whole, also after a restart. When the log is rotated, the old file is read to its
    end first. Prints the number of new events each time.
    """
    from adzeguard.workflows.trail import LOST, follow_log, log_of

    workspace = opened(folder)
    trail, source = workspace.trail, str(file.resolve())
    log = log_of(trail, file.resolve())
    with stopping(say) as asked_to_stop:
        while not asked_to_stop():
            done = follow_log(trail, log, source)
            if log.lost:
                say(f"The log {LOST}")
                log.lost = False
            if done.read:
                aside = f", {done.set_aside} set aside" if done.set_aside else ""
                put(f"{done.read} records read, {done.events} events new{aside}\n")
            elif once:
                break
            else:
                sleep(_LOOK_EVERY)
    log.close()
    return Exit.NOTHING_TO_REPORT


@command.command("aside", epilog=example("adzeguard trail aside"))
@listing_options
@workspace_option
def aside(form: str, output: Path | None, folder: Path | None) -> int:
    """List the records of logs that could not be read, and why."""
    from adzeguard.core.views.trail import aside_table

    put_view(aside_table(looking(folder).trail.set_aside()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("support", epilog=example("adzeguard trail support"))
@card_options
@workspace_option
def support(form: str, output: Path | None, folder: Path | None) -> int:
    """Show which events the trail holds, since when, its gaps, and how to switch on the missing ones.

    Ends with 3 when the events of group members are missing, a log was cleared, or there are gaps.
    """
    from adzeguard.core.trail.audit_coverage import gaps, missing
    from adzeguard.core.views.trail import support_page

    trail = looking(folder).trail
    moments = trail.moments()
    found = gaps(trail.times())
    lacking = missing(trail.has)
    put_view(support_page(moments, found, lacking), form, output)
    if not moments:
        say("The trail is empty. Read a log: adzeguard trail import FILE")
    return Exit.TO_REPORT if found or lacking else Exit.NOTHING_TO_REPORT
