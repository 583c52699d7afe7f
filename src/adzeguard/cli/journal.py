"""adzeguard journal."""

import sys
from datetime import datetime
from pathlib import Path
from socket import gethostname
from time import sleep
from typing import Final

import click

from adzeguard.cli.completing import enactments
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, listing_options_without_limit, workspace_option
from adzeguard.cli.output import put, put_lines, put_view, say

_ROWS_AT_ONCE: Final = 1000
_FOR_PEOPLE: Final = 50
_EVERYTHING: Final = 10**9
_LOOK_EVERY: Final = 1.0
"""Seconds between two looks for new rows."""


@click.group(
    "journal",
    cls=CommandGroup,
    instead={"list": "adzeguard journal", "show": "adzeguard journal"},
    invoke_without_command=True,
    epilog=example("adzeguard journal --limit 20"),
)
@click.option(
    "--limit",
    type=click.IntRange(1, _EVERYTHING),
    help="Show the last N enactments or rows; 50 in a table without it.",
)
@click.option(
    "--enactment",
    "of_enactment",
    default="",
    metavar="NAME",
    shell_complete=enactments,
    help="Only one enactment, change by change.",
)
@click.option("--by", default="", metavar="NAME", help="Only enactments by operators whose name contains this.")
@click.option("--about", default="", metavar="TEXT", help="Only enactments with a change that contains this.")
@click.option("--since", type=MOMENT, metavar="TIME", help="Only since then: 2026-11-20, yesterday, 3d.")
@click.option("--rows", "every_row", is_flag=True, help="In the table too, show each row as it was written.")
@listing_options_without_limit
@workspace_option
@click.pass_context
def command(
    ctx: click.Context,
    limit: int | None,
    of_enactment: str,
    by: str,
    about: str,
    since: datetime | None,
    every_row: bool,
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int | None:
    """Show every change made: when, by whom, why, under which rule, and what became of it.

    The table has one line for each enactment, or with --enactment one for each change. json, jsonl and csv have the
    rows as they were written; --by, --about and --since choose enactments. Kinds of rows are begin, intent, outcome,
    putting-back, end and kept.
    """
    if ctx.invoked_subcommand is not None:
        return None
    from adzeguard.workflows.journal_view import Sought, changes_table, enactments_table, journal_table, rows_sought

    journal = opened(folder).journal
    as_rows = form != "table" or every_row
    most = limit or (_FOR_PEOPLE if form == "table" else _EVERYTHING)
    sought = Sought(most, by, about, since)
    if of_enactment:
        rows = journal.rows(limit if as_rows else None, of_enactment)
    else:
        rows = journal.rows(most) if as_rows and sought.is_all else rows_sought(journal, sought)
    if as_rows:
        put_view(journal_table(rows), form, output)
    else:
        put_view(changes_table(rows) if of_enactment else enactments_table(rows), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("verify", epilog=example("adzeguard journal verify"))
@click.option(
    "--seal",
    "seals",
    multiple=True,
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Also hold it against this seal, such as one that was mailed; may be given again.",
)
@click.option(
    "--put-right",
    is_flag=True,
    help="Restore leases, waivers and the like from the journal.",
)
@card_options
@workspace_option
def verify(seals: tuple[Path, ...], put_right: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Verify the chain of hashes. Ends with 3 if a row was changed, is missing or is out of order.

    Leases, shifts, waivers, questions, reviews, retired objects and pending changes are compared with the journal too.
    A row that differs from it is never acted on.

    The end of the journal is also kept beside the store, in .adzeguard/journal-head, so that rows that were cut off, or
    a store that was moved away, are noticed. Seals say the same with a signature, wherever they are kept; those of the
    workspace are always checked. With [seal] key or [approval] signers, a seal by any other key is reported. Without
    the journal, earlier changes cannot be undone.
    """
    from adzeguard.core.views.verified import verified_lines, verified_page
    from adzeguard.workspace.sealing import end_not_kept, held_against_seals, odd_notes, put_notes_right

    workspace = opened(folder)
    journal = workspace.journal
    if put_right:
        put_notes_right(workspace)
    files = [*sorted(workspace.settings.seals_folder.glob("*.seal")), *seals]
    broken_seals, holding = held_against_seals(workspace, files)
    broken = [*journal.broken_at(), *end_not_kept(workspace), *odd_notes(workspace), *broken_seals]
    if form == "table":
        # One line each, however long, as scripts and mails of cron take them.
        put_lines(verified_lines(journal.count(), broken, holding), output)
    else:
        put_view(verified_page(journal.count(), broken, holding), form, output)
    return Exit.TO_REPORT if broken else Exit.NOTHING_TO_REPORT


@command.command("seal", epilog=example("adzeguard journal seal --key seal-key"))
@click.option("--key", type=click.Path(path_type=Path), metavar="FILE", help="The SSH key; else [seal] key.")
@workspace_option
def seal(key: Path | None, folder: Path | None) -> int:
    """Sign the end of the journal, keep the seal, and send it to [questions] owner.

    Any copy of a seal reveals that rows were cut off the end: adzeguard journal verify --seal FILE. With [seal] key in
    adzeguard.toml, rounds seal the journal once a day.
    """
    from adzeguard.core.errors import SettingsError
    from adzeguard.workspace.sealing import seal_now

    workspace = opened(folder)
    used = key or workspace.settings.seal_key
    if used is None:
        raise SettingsError("no key is named to seal with", "Give --key FILE, or set [seal] key")
    with workspace.held("journal seal"):
        said = seal_now(workspace, used)
    say(said or "The journal is empty: there is nothing to seal.")
    return Exit.NOTHING_TO_REPORT


@command.command("export", epilog=example("adzeguard journal export --since yesterday"))
@click.option("--since", type=MOMENT, metavar="TIME", help="From then on: 2026-11-20, yesterday, 3d.")
@click.option("--after", type=click.IntRange(0), default=0, metavar="ROW", help="Only rows after this one.")
@click.option("--format", "form", type=click.Choice(["jsonl", "syslog"]), default="jsonl", show_default=True)
@click.option("--follow", is_flag=True, help="Go on with what is written from now on, until stopped.")
@workspace_option
def export(since: datetime | None, after: int, form: str, follow: bool, folder: Path | None) -> int:
    """Write the journal for other log systems: one line a row, as JSON or as syslog (RFC 5424).

    Lines of syslog have the words and the hash, without the body, which can be large. To go on after an interruption,
    give --after with the number of the last row.
    """
    from adzeguard.workflows.journal_lines import LINES
    from adzeguard.workspace.stopping import stopping

    journal = opened(folder).journal
    host = gethostname()
    last = after
    with stopping(say) as asked_to_stop:
        while not asked_to_stop():
            rows = journal.after(last, _ROWS_AT_ONCE)
            for row in rows:
                last = row.seq
                if since is None or datetime.fromisoformat(row.at) >= since:
                    put(f"{LINES[form](row, host)}\n")
            if not rows:
                if not follow:
                    break
                sys.stdout.flush()
                sleep(_LOOK_EVERY)
    return Exit.NOTHING_TO_REPORT
