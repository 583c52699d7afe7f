"""adzeguard journal."""

from pathlib import Path

import click

from adzeguard.cli.desk import Desk
from adzeguard.cli.exits import Exit
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put, put_view


@click.group("journal", invoke_without_command=True, epilog=example("adzeguard journal --limit 20"))
@click.option(
    "--limit",
    type=click.IntRange(1, 10**9),
    default=50,
    show_default=True,
    help="How many of the latest rows to show.",
)
@click.option("--enactment", "of_enactment", default="", metavar="NAME", help="Only the rows of one enactment.")
@listing_options
@workspace_option
@click.pass_context
def command(
    ctx: click.Context, limit: int, of_enactment: str, form: str, output: Path | None, workspace: Path | None
) -> int | None:
    """Show every change made: when, by whom, under which rule, and what became of it.

    Keys of json and csv: seq, at, by, kind, enactment, what, body, hash, format.
    Kinds of rows: begin, intent, outcome, end.
    """
    if ctx.invoked_subcommand is not None:
        return None
    from adzeguard.workflows.journal_view import journal_table

    put_view(journal_table(Desk(workspace).journal.rows(limit, of_enactment)), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("verify", epilog=example("adzeguard journal verify"))
@workspace_option
def verify(workspace: Path | None) -> int:
    """Follow the chain of hashes; ends with 3 when a row was changed, is missing or stands out of order.

    Where the journal ended is kept beside the store, in .adzeguard/journal-head: rows cut off its end are missed, and
    so is the whole journal where the store was moved away. Without it there is no undo of what was done before.
    """
    journal = Desk(workspace).journal
    broken = list(journal.broken_at())
    put("".join(f"{line}\n" for line in broken) or f"All {journal.count()} rows stand as they were written.\n")
    return Exit.TO_REPORT if broken else Exit.NOTHING_TO_REPORT
