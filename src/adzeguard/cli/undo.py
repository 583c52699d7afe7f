"""adzeguard undo."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import enactments
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option
from adzeguard.core.errors import UsageError

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft


@click.command("undo", cls=HeadedCommand, epilog=example("adzeguard undo --last"))
@click.argument("enactment_name", required=False, metavar="[ENACTMENT]", shell_complete=enactments)
@click.option("--last", is_flag=True, help="The last enactment.")
@click.option(
    "--change", "changes", multiple=True, metavar="ID", help="Only this change of the enactment; may be given again."
)
@click.option(
    "--keep", "kept", multiple=True, metavar="ID", help="All but this change of the enactment. Can be given again."
)
@click.option("--since", type=MOMENT, metavar="TIME", help="Everything since then, by any operator.")
@why_option
@enacting_options
@workspace_option
def command(
    enactment_name: str | None,
    last: bool,
    changes: tuple[str, ...],
    kept: tuple[str, ...],
    since: datetime | None,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Take back one enactment, some of its changes, or everything since a time.

    An undo is a proposal like any other: it passes the guards, is written to the journal, and can be undone itself. A
    value that somebody has changed since is a conflict and is left as it is. adzeguard journal lists the enactments.
    """
    from adzeguard.workflows.undo import done_by, done_since, last_enactment, undo_draft

    if sum((enactment_name is not None, last, since is not None)) != 1 or ((changes or kept) and since is not None):
        raise UsageError("say which: ENACTMENT, --last, or --since TIME", "See what was enacted: adzeguard journal")
    workspace = opened(folder)

    def draft() -> "Draft":
        if since is not None:
            done = done_since(workspace.journal, since)
        else:
            done = done_by(workspace.journal, enactment_name or last_enactment(workspace.journal), changes, kept)
        return undo_draft(workspace.estate, workspace.journal, done).because(why)

    return enact_draft(workspace, draft, answers)
