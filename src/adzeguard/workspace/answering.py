"""Answers of owners, and what is left as it is until a date."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from adzeguard.core.change.draft import Draft
from adzeguard.core.change.kinds.set_note import SetNote, set_note
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.named import Named
from adzeguard.core.review.draft import draft_for
from adzeguard.core.time.question import Question, Waiver, left_as_it_is
from adzeguard.core.views.page import Page
from adzeguard.core.views.questions import question_page, questions_table, waivers_table
from adzeguard.core.views.table import Table
from adzeguard.core.wording import when, when_utc
from adzeguard.store.letters import Letters
from adzeguard.store.questions import Questions, Waivers
from adzeguard.workflows.asking import (
    Left,
    answered,
    any_question,
    question_named,
    waiver_named,
    waiver_over,
    waivers_over,
)
from adzeguard.workspace.answerers import Deciding, ensure_may_decide, tell_owner
from adzeguard.workspace.deviations import finding_called
from adzeguard.workspace.notes import note
from adzeguard.workspace.sealing import say_what_is_odd

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def questions_listed(workspace: "Workspace", owner: str = "", *, everything: bool = False) -> Table:
    """Return the questions that wait, or all, of owners whose names hold a text."""
    shown = [
        one
        for one in Questions(workspace.database).all()
        if (everything or one.is_open) and owner.casefold() in one.owner.casefold()
    ]
    return questions_table(shown, workspace.now())


def question_in_full(workspace: "Workspace", name: str) -> Page:
    """Return one question, with how to answer it and what could not be told of it."""
    found = any_question(Questions(workspace.database).all(), name)
    kept = [one for one in Letters(workspace.database).waiting() if one.body.get("id") == found.id]
    return question_page(found, [(one.teller, one.tries, one.detail) for one in kept])


def asked_about(workspace: "Workspace", names: Sequence[str], *, mend: bool = False) -> list[Question]:
    """Return questions by their ids; `UsageError` for one that the operator may not answer, or not so."""
    known = Questions(workspace.database).all()
    asked = [question_named(known, name) for name in dict.fromkeys(names)]
    for one in asked:
        ensure_may_decide(workspace, _deciding(one))
        if mend and one.cannot_mend and not one.is_about_its_rule:
            raise UsageError(f"{one.id} cannot be put right by a change: {one.cannot_mend}", "Leave it until a date")
    return asked


def leave(
    workspace: "Workspace", asked: Sequence[Question], until: datetime, why: str, without_approval: str = ""
) -> None:
    """Leave what questions are about as it is until a moment, when it is asked again."""
    refuse_moment(workspace, until, why)
    by, now = workspace.operator(), workspace.now()
    made: list[Waiver] = []

    def left() -> list[SetNote]:
        made.extend(waivers_over(Waivers(workspace.database).all(), asked, until, by, why, now))
        named = zip(made, asked, strict=True)
        return [
            set_note(
                None,
                one,
                f"{why} (answer to {question.id})",
                group=Named(question.subject, question.subject_sid),
                member=Named(question.member, question.member_sid) if question.member else None,
                on_host=question.host,
            )
            for one, question in named
        ]

    note(workspace, left, without_approval)
    for question in asked:
        Questions(workspace.database).write(answered(question, "left", by, why, now))
        tell_owner(workspace, _deciding(question), f"left as it is until {when_utc(until)}", why)
    for one in made:
        often = f", renewed {one.renewed} times" if one.renewed else ""
        about = f"{one.member} in {one.subject}" if one.member else one.subject
        until_then = when(one.until)
        workspace.frontend.say(f"{one.id}: {about} is left until {until_then}{often}.")


class Mending:
    """Questions that are answered by putting right what they are about."""

    def __init__(self, workspace: "Workspace", asked: Sequence[Question], why: str) -> None:
        self._workspace = workspace
        self._asked = asked
        self._why = why

    def draft(self) -> Draft:
        """Return the changes; `UsageError` where no change puts it right."""
        ids = {one.fingerprint: one.id for one in self._asked}
        found = draft_for(self._workspace.asked_about(), ids.keys())
        if not found.changes and found.left_out:
            reasons = "; ".join(dict.fromkeys(one.reason for one in found.left_out))
            raise UsageError(
                f"this cannot be put right by a change: {reasons}", "Leave it until a date, or see the rule"
            )
        names = ", ".join(ids.values())
        changes = tuple(change.by(change.rule, f"{self._why} (answer to {names})") for change in found.changes)
        return Draft(changes, found.left_out, found.notes)

    def settle(self) -> None:
        """Note of each what became of it: nothing counts as mended that still stands."""
        workspace = self._workspace
        workspace.look_anew()
        standing = {one.fingerprint for one in workspace.asked_about()}
        for one in self._asked:
            if one.fingerprint in standing:
                workspace.frontend.say(f"{one.id} still waits: what it is about still stands.")
                continue
            mended = answered(one, "mended", workspace.operator(), self._why, workspace.now())
            Questions(workspace.database).write(mended)
            tell_owner(workspace, _deciding(one), "put right", self._why)
            workspace.frontend.say(f"{one.id} is answered: it is put right.")


def add_waiver(workspace: "Workspace", fingerprint: str, until: datetime, why: str, without_approval: str = "") -> None:
    """Leave a finding as it is until a moment; `UnknownNameError` where nothing is found of that fingerprint."""
    refuse_moment(workspace, until, why)
    found = finding_called(workspace, fingerprint)
    fingerprint = found.fingerprint
    where = found.host.name if found.host is not None else found.subject.name
    sids = {found.subject.sid, found.member.sid if found.member is not None else ""} - {""}
    deciding = Deciding(f"this finding of {found.check}", found.owner, where, found.member_name, frozenset(sids))
    ensure_may_decide(workspace, deciding)
    about = Left(fingerprint, found.rule or found.check, where, found.member_name)
    made: list[Waiver] = []

    def left() -> list[SetNote]:
        earlier = Waivers(workspace.database).all()
        standing = left_as_it_is(earlier, workspace.now()).get(fingerprint)
        if standing is not None and standing.until >= until:
            raise UsageError(
                f"this is {standing.in_words()}", f"To end it sooner: adzeguard questions waivers end {standing.id}"
            )
        made.append(waiver_over(earlier, about, until, workspace.operator(), why, workspace.now()))
        host = found.host.name if found.host is not None else ""
        new = set_note(None, made[0], why, group=found.subject, member=found.member, on_host=host)
        # It takes the place of the earlier one: ended by itself, that would leave this one.
        over = [] if standing is None else [set_note(standing, replace(standing, ended=workspace.now()), why)]
        return [*over, new]

    note(workspace, left, without_approval)
    tell_owner(workspace, deciding, f"left as it is until {when_utc(until)}", why)
    workspace.frontend.say(f"{made[0].id}: {where} is {made[0].in_words()}")


def end_waiver(workspace: "Workspace", name: str, why: str = "") -> None:
    """End a waiver before its time; if the deviation still stands, the next round asks again."""

    def standing() -> Waiver:
        return waiver_named(Waivers(workspace.database).all(), name, workspace.now())

    def ended() -> list[SetNote]:
        one = standing()
        return [set_note(one, replace(one, ended=workspace.now()), why or "ended before its time")]

    found = standing()
    note(workspace, ended)
    workspace.frontend.say(f"{found.id} has ended; what still deviates is asked again by: adzeguard round")


def waivers_listed(workspace: "Workspace", *, everything: bool = False) -> Table:
    """Return what is left as it is, or all that ever was."""
    say_what_is_odd(workspace, "waiver")
    shown = [one for one in Waivers(workspace.database).all() if everything or one.holds(workspace.now())]
    return waivers_table(shown, workspace.now())


def refuse_moment(workspace: "Workspace", until: datetime, why: str) -> None:
    """Refuse to leave something until what is over or too far away, or without a reason."""
    longest = workspace.settings.questions.longest_days
    if not why.strip():
        raise UsageError("--why says nothing", "Give a reason: somebody will ask")
    if until <= workspace.now():
        raise UsageError(f"{when(until)} is over", "Name a date to come")
    if until > workspace.now() + timedelta(days=longest):
        raise UsageError(
            f"nothing is left for longer than {longest} days", "It is asked again then; name a date before"
        )


def _deciding(question: Question) -> Deciding:
    sids = frozenset({question.member_sid, question.subject_sid} - {""})
    return Deciding(question.id, question.owner, question.subject, question.member, sids)
