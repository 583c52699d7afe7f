"""adzeguard questions: what waits for the answer of an owner."""

from pathlib import Path

import click

from adzeguard.cli.answer import answer
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, listing_options, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.cli.waivers import leave, waivers


@click.group("questions", cls=CommandGroup, alone="list", epilog=example("adzeguard questions"))
def command() -> None:
    """List and answer questions; alone, list them. A round asks the owner of a rule once for each deviation."""


@command.command("list", epilog=example("adzeguard questions list"))
@click.option("--all", "everything", is_flag=True, help="Also list answered and settled questions.")
@click.option("--owner", default="", metavar="TEXT", help="Only questions to owners whose name contains this.")
@listing_options
@workspace_option
def list_command(everything: bool, owner: str, form: str, output: Path | None, folder: Path | None) -> int:
    """List the questions that wait for an answer. A round asks the owner of a rule once for each deviation.

    Ends with 3 when something waits.
    """
    from adzeguard.workspace.answering import questions_listed

    table = questions_listed(opened(folder), owner, everything=everything)
    put_view(table, form, output)
    return Exit.TO_REPORT if any(row["state"] == "open" for row in table.rows) else Exit.NOTHING_TO_REPORT


command.add_command(answer)
command.add_command(leave)
command.add_command(waivers)


@command.command("show", epilog=example("adzeguard questions show Q1"))
@click.argument("question")
@card_options
@workspace_option
def show(question: str, form: str, output: Path | None, folder: Path | None) -> int:
    """Show one question in full, with how to answer it."""
    from adzeguard.workspace.answering import question_in_full

    put_view(question_in_full(opened(folder), question), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("try", epilog=example("adzeguard questions try --to security@lowmere.example"))
@click.option("--to", default="", metavar="ADDRESS", help="To whom; [questions] owner without it.")
@workspace_option
def try_telling(to: str, folder: Path | None) -> int:
    """Send a test notification by every way that adzeguard.toml names."""
    from adzeguard.core.errors import AdzeguardError, SettingsError
    from adzeguard.tellers.port import Letter

    workspace = opened(folder)
    to = to or workspace.settings.questions.owner
    if not workspace.settings.tell:
        raise SettingsError(
            "adzeguard.toml names no way of telling",
            "Add one, such as [tell.mail] with server and from, then run: adzeguard settings check",
        )
    body = {
        "subject": "Adzeguard can reach you",
        "text": f"{workspace.operator()} tried whether this arrives. It does.",
    }
    failed = 0
    with workspace.tellers() as tellers:
        for name, teller in tellers.items():
            if not teller.takes("trial", to):
                say(f"{name}: '{to}' is no address for it")
                failed += 1
                continue
            try:
                teller.tell([Letter(0, "trial", to, workspace.now(), body)])
                say(f"{name}: told {to or 'anyone who listens'}")
            except AdzeguardError as error:
                say(f"{name}: {error}")
                failed += 1
    return Exit.FAILED if failed else Exit.NOTHING_TO_REPORT
