"""adzeguard answer."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, workspace_option
from adzeguard.cli.output import say
from adzeguard.cli.waivers import refuse_moment
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.time.question import Question


@click.command("answer", epilog=example("adzeguard answer Q1 --leave-until 2w --why 'in the yard'"))
@click.argument("questions", nargs=-1, required=True, metavar="QUESTION…")
@click.option("--mend", is_flag=True, help="Put it right now.")
@click.option("--leave-until", "until", type=COMING, metavar="DATE", help="Leave it until then: 2026-12-24, 2w, 30d.")
@click.option("--why", required=True, metavar="TEXT", help="Why; whoever asks later reads it.")
@enacting_options
@workspace_option
def command(
    questions: tuple[str, ...], mend: bool, until: datetime | None, why: str, answers: Answers, folder: Path | None
) -> int:
    """Answer questions: put right what they are about, or leave it as it is until a date.

    What is left is asked again on its date. Nobody answers a question about their own account, unless the settings let
    them.
    """
    from adzeguard.store.questions import Questions
    from adzeguard.workflows.asking import question_named

    if mend == (until is not None):
        raise UsageError("say what to do: --mend, or --leave-until DATE")
    if not why.strip():
        raise UsageError("--why says nothing", "Give a reason: somebody will ask")
    workspace = opened(folder)
    known = Questions(workspace.database).all()
    asked = [question_named(known, name) for name in dict.fromkeys(questions)]
    _refuse_own(workspace, asked)
    if until is not None:
        return _leave(workspace, asked, until, why)
    return _mend(workspace, asked, why, answers)


def _refuse_own(workspace: Workspace, asked: "list[Question]") -> None:
    account, user = workspace.operator_account, workspace.operator().casefold()
    for one in asked if not workspace.settings.questions.own else ():
        sids = {one.member_sid, one.subject_sid} - {""}
        is_own = account is not None and account.sid in sids
        if is_own or one.member.rpartition("\\")[2].casefold() == user:
            raise UsageError(
                f"{one.id} is about your own account, {one.member or one.subject}", "Let somebody else answer it"
            )


def _leave(workspace: Workspace, asked: "list[Question]", until: datetime, why: str) -> int:
    from adzeguard.core.change.kinds.set_note import SetNote, set_note
    from adzeguard.core.time.question import Waiver
    from adzeguard.store.questions import Questions, Waivers
    from adzeguard.workflows.asking import answered, waivers_over
    from adzeguard.workspace.notes import note

    refuse_moment(workspace, until, why)
    by, now = workspace.operator(), workspace.now()
    made: list[Waiver] = []

    def left() -> list[SetNote]:
        made.extend(waivers_over(Waivers(workspace.database).all(), asked, until, by, why, now))
        return [
            set_note(None, one, f"{why} (answer to {question.id})") for one, question in zip(made, asked, strict=True)
        ]

    note(workspace, left)
    for question in asked:
        Questions(workspace.database).write(answered(question, "left", by, why, now))
    for one in made:
        often = f", renewed {one.renewed} times" if one.renewed else ""
        about = f"{one.member} in {one.subject}" if one.member else one.subject
        say(f"{one.id}: {about} is left until {one.until.astimezone():%Y-%m-%d %H:%M}{often}.")
    return Exit.NOTHING_TO_REPORT


def _mend(workspace: Workspace, asked: "list[Question]", why: str, answers: Answers) -> int:
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.review.draft import draft_for

    ids = {one.fingerprint: one.id for one in asked}

    def draft() -> "Draft":
        found = draft_for(workspace.corrections(), ids.keys())
        if not found.changes and found.left_out:
            reasons = "; ".join(dict.fromkeys(one.reason for one in found.left_out))
            raise UsageError(
                f"this cannot be put right by a change: {reasons}", "Leave it until a date, or see the rule"
            )
        names = ", ".join(ids.values())
        changes = tuple(change.by(change.rule, f"{why} (answer to {names})") for change in found.changes)
        return Draft(changes, found.left_out, found.notes)

    code = enact_draft(workspace, draft, answers)
    workspace.look_anew()
    return _settled(workspace, asked, why, code)


def _settled(workspace: Workspace, asked: "list[Question]", why: str, code: int) -> int:
    """Write down of each what became of it: nothing counts as mended that still stands."""
    from adzeguard.store.questions import Questions
    from adzeguard.workflows.asking import answered

    standing = {one.fingerprint for one in workspace.corrections()}
    table = Questions(workspace.database)
    for one in asked:
        if one.fingerprint in standing:
            say(f"{one.id} still waits: what it is about still stands.")
        else:
            table.write(answered(one, "mended", workspace.operator(), why, workspace.now()))
            say(f"{one.id} is answered: it is put right.")
    return code
