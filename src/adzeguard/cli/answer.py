"""adzeguard questions answer."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, workspace_option
from adzeguard.core.errors import UsageError


@click.command(
    "answer", cls=HeadedCommand, epilog=example("adzeguard questions answer Q1 --leave-until 2w --why 'in the yard'")
)
@click.argument("questions", nargs=-1, required=True, metavar="QUESTION…")
@click.option("--mend", is_flag=True, help="Put it right now.")
@click.option("--leave-until", "until", type=COMING, metavar="DATE", help="Leave it until then: 2026-12-24, 2w, 30d.")
@click.option("--why", required=True, metavar="TEXT", help="Why; people who ask later read it.")
@enacting_options
@workspace_option
def answer(
    questions: tuple[str, ...], mend: bool, until: datetime | None, why: str, answers: Answers, folder: Path | None
) -> int:
    """Answer questions: mend the deviation now, or leave it until a date.

    A deviation that is left is asked about again on its date. You cannot answer about your own account unless
    [questions] own allows it.
    """
    from adzeguard.workspace.answering import Mending, asked_about, leave

    if mend == (until is not None):
        raise UsageError("say what to do: --mend, or --leave-until DATE")
    if not why.strip():
        raise UsageError("--why says nothing", "Give a reason: somebody will ask")
    workspace = opened(folder)
    asked = asked_about(workspace, questions, mend=mend)
    if until is None:
        mending = Mending(workspace, asked, why)
        code = enact_draft(workspace, mending.draft, answers)
        mending.settle()
        return code
    leave(workspace, asked, until, why, answers.without_approval)
    return Exit.NOTHING_TO_REPORT
