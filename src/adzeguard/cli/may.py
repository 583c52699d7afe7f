"""adzeguard may."""

from datetime import datetime
from pathlib import Path
from typing import Any

import click

from adzeguard.cli.completing import names
from adzeguard.cli.csv_files import read_rows
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.core.errors import AdzeguardError, UsageError
from adzeguard.workspace.open_workspace import Workspace


@click.command("may", cls=HeadedCommand, epilog=example("adzeguard may hedda.morrow password-help cato.lune"))
@click.argument("words", nargs=-1, metavar="[WHO] RIGHT OBJECT", shell_complete=names())
@click.option("--who", "everybody", is_flag=True, help="List everyone who may: RIGHT OBJECT.")
@click.option(
    "--batch",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Answer each line of a CSV file with the columns who, right and object.",
)
@listing_options
@at_option
@workspace_option
def command(
    words: tuple[str, ...],
    everybody: bool,
    batch: Path | None,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    r"""Say whether somebody may do something to an object, and which entry decides.

    RIGHT is a duty, or a single right: read:ATTRIBUTE, write:ATTRIBUTE, create:CLASS, delete-child:CLASS,
    control:RIGHT, validated:WRITE, delete. OBJECT may also be a folder of a file share, \\SERVER\SHARE\FOLDER; then
    RIGHT is read, change or own, and share and folder decide together. Ends with 0 for yes, 3 for no, and 4
    where a group of another domain decides, since nobody here knows who is inside.
    """
    workspace = looking(folder, moment)
    if batch is None and words and words[-1].startswith("\\\\"):
        if moment is not None:
            raise UsageError("of file shares only what was read last is known", "Leave --at out")
        from adzeguard.cli.may_in_folder import everybody_in_folder, one_in_folder

        if everybody and len(words) == 2:  # noqa: PLR2004 - right and folder
            return everybody_in_folder(workspace, *words, form, output)
        if not everybody and len(words) == 3:  # noqa: PLR2004 - who, right and folder
            return one_in_folder(workspace, *words, form, output)
    if batch is not None and not words and not everybody:
        return _batch(workspace, batch, form, output)
    if batch is None and everybody and len(words) == 2:  # noqa: PLR2004 - right and object
        return _everybody(workspace, *words, form, output)
    if batch is None and not everybody and len(words) == 3:  # noqa: PLR2004 - who, right and object
        return _one(workspace, *words, form, output)
    raise UsageError("say WHO RIGHT OBJECT, --who RIGHT OBJECT, or --batch FILE", "See: adzeguard may --help")


def _one(workspace: Workspace, who: str, right: str, name: str, form: str, output: Path | None) -> int:
    from adzeguard.workspace.rights import whether_may

    table = whether_may(workspace, who, right, name)
    put_view(table, form, output)
    allowed = table.rows[0]["allowed"]
    return {True: Exit.NOTHING_TO_REPORT, False: Exit.TO_REPORT}.get(allowed, Exit.DONE_IN_PART)


def _everybody(workspace: Workspace, right: str, name: str, form: str, output: Path | None) -> int:
    from adzeguard.workspace.rights import everybody_who_may

    put_view(everybody_who_may(workspace, right, name), form, output)
    return Exit.NOTHING_TO_REPORT


def _batch(workspace: Workspace, path: Path, form: str, output: Path | None) -> int:
    """Answer every line; one that cannot be understood says why, and the others are answered all the same."""
    from adzeguard.cli.may_in_folder import folder_row
    from adzeguard.core.rights.answers import Tokens
    from adzeguard.core.views.answers import answers_table
    from adzeguard.workspace.rights import answer_of

    tokens = Tokens(workspace.estate)
    rows: list[dict[str, Any]] = []
    for _, line in read_rows(path, {"who", "right", "object"}, mebibytes=64):
        question = {key: line[key] for key in ("who", "right", "object")}
        try:
            if question["object"].startswith("\\\\"):
                rows.append(
                    folder_row(workspace, tokens, question["who"], question["right"], question["object"]) | question
                )
                continue
            who, right, about = question.values()
            rows.append(answer_of(workspace, tokens, who, right, about) | question)
        except AdzeguardError as error:
            because = error.message.splitlines()[0]
            rows.append({**question, "allowed": None, "because": because, "entry": "", "path": []})
    put_view(answers_table(rows), form, output)
    unclear = any(row["allowed"] is None for row in rows)
    return Exit.DONE_IN_PART if unclear else Exit.NOTHING_TO_REPORT
