"""Asking owners: questions written down with what somebody is to be told of them, and answers."""

import shlex
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import asdict, replace
from datetime import datetime, timedelta
from typing import Any, Final

from adzeguard.core.change.proposal import Proposal
from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.checks.asking import to_ask
from adzeguard.core.errors import UnknownNameError, UsageError
from adzeguard.core.review.correction import Correction
from adzeguard.core.time.question import Question, Reminding, State, Waiver
from adzeguard.core.values import dataclass
from adzeguard.core.views.questions import since_of
from adzeguard.core.wording import did_you_mean, when_utc
from adzeguard.store.connection import Database
from adzeguard.store.letters import keep_letters
from adzeguard.store.questions import Questions, Waivers, next_number, write_questions
from adzeguard.tellers.port import Teller
from adzeguard.workflows.origins import Origin

_SUGGESTED_DAYS: Final = 30
_CHANGES_TOLD: Final = 50
_OF_NO_DEMAND: Final = {"id", "why", "owner", "response", "place", "enabled", "until", "leave"}
"""Keys of a rule that say something about it, and not what it demands."""
_ABOUT: Final = ("group", "hosts", "accounts", "over", "local-group")
"""Keys of a rule that say what it is about; they come first."""


Kept = tuple[str, str, str, Mapping[str, Any]]
"""A letter that is to be kept: by which way, of which kind, to whom, and what."""


@dataclass(frozen=True)
class Asker:
    """Where questions are written down, by which charter, and who is told of them."""

    database: Database
    charter: Charter
    tellers: Mapping[str, Teller]
    owner: str
    """Who is asked where a rule names nobody."""
    now: datetime
    reminding: Reminding


@dataclass(frozen=True, slots=True)
class AskedNow:
    """What was asked, and what had settled itself."""

    new: Sequence[Question]
    settled: Sequence[Question]


def ask(found: Iterable[Correction], asker: Asker, origins: Callable[[Sequence[Correction]], list[Origin]]) -> AskedNow:
    """Write down what is to be asked and what somebody is told of it, in one transaction; nothing is sent here.

    `origins` says of each deviation how it came to be; it is asked only where there is anything new, since it reads
    the whole trail.
    """
    questions = Questions(asker.database).all()
    waiting = to_ask(found, questions, Waivers(asker.database).all(), asker.now)
    settled = [replace(one, state="settled", answered_at=asker.now) for one in waiting.settled]
    new: list[Question] = []
    first = next_number(questions)
    known = origins([one for one, _ in waiting.new]) if waiting.new else []
    for place, ((correction, again), origin) in enumerate(zip(waiting.new, known, strict=True)):
        new.append(_question(f"Q{first + place}", correction, again, origin, asker))
    gone = {one.id for one in settled}
    letters, told = _letters([*(one for one in questions if one.is_open and one.id not in gone), *new], asker)
    if new or settled or told:
        known_told = {one.id: one for one in told}
        with asker.database.writing() as connection:
            write_questions(connection, [*({one.id: one for one in new} | known_told).values(), *settled])
            if letters:
                keep_letters(connection, letters, asker.now)
    return AskedNow(new, settled)


def _letters(waiting: Iterable[Question], asker: Asker) -> tuple[list[Kept], list[Question]]:
    """Return what is to be told of open questions now, and the questions with that noted.

    Told is what nobody was told yet, such as what was asked before there was a way to tell; and what has waited for
    long is told again. Whom no way reaches, an owner who is no address, for them the workspace's owner hears.
    """
    whys = {rule.id: rule.why for rule in asker.charter.rules}
    letters: list[Kept] = []
    told: list[Question] = []
    for one in waiting if asker.tellers else ():
        whom = asker.reminding.whom(one, asker.now)
        reached = [
            (name, to)
            for to in dict.fromkeys((whom, asker.owner))
            for name, teller in asker.tellers.items()
            if to and teller.takes("question", to)
        ]
        if not whom or not reached:
            continue
        body = letter_of(one, whys.get(one.rule, ""), asker.now)
        letters += [(name, "question", to, body) for name, to in reached if to == reached[0][1]]
        told.append(replace(one, told=asker.now, reminded=one.reminded + (one.told is not None)))
    return letters, told


def _question(name: str, correction: Correction, again: int, origin: Origin, asker: Asker) -> Question:
    member = correction.member
    return Question(
        name,
        correction.fingerprint,
        correction.rule,
        correction.owner or asker.owner,
        correction.subject.name,
        correction.subject.sid,
        member.name if member else "",
        member.sid if member else "",
        correction.host.name if correction.host else "",
        correction.message,
        says(asker.charter, correction),
        asker.now,
        *origin,
        again=again,
        cannot_mend="" if correction.changes else correction.left_out or "it is only ever told",
    )


def says(charter: Charter, correction: Correction) -> str:
    """Return what the charter says in the rule of a deviation: its demand as it is written, and where."""
    rule = next((one for one in charter.rules if one.id == correction.rule), None)
    return f"{demand_of(rule)} ({correction.place})" if rule is not None else correction.place


def demand_of(rule: RuleBase) -> str:
    """Return what a rule demands, as it is written, on one line."""
    demand = rule.model_dump(mode="json", by_alias=True, exclude_unset=True, exclude=_OF_NO_DEMAND)
    about_first = sorted(demand.items(), key=lambda item: item[0] not in _ABOUT)
    return "; ".join(f"{key}: {_in_words(value)}" for key, value in about_first)


def _in_words(value: Any) -> str:
    if isinstance(value, dict):
        return ", ".join(f"{key} {_in_words(item)}" for key, item in value.items() if item)
    if isinstance(value, list):
        return ", ".join(map(str, value)) or "nobody"
    return str(value)


def letter_of(question: Question, why: str, now: datetime) -> dict[str, Any]:
    """Return what somebody is told of a question, as plain values."""
    until = (now + timedelta(days=_SUGGESTED_DAYS)).date().isoformat()
    body = {key: value for key, value in asdict(question).items() if isinstance(value, str | int)}
    for key in ("state", "answered_by", "changed_at", "changed_by", "changed_from"):
        body.pop(key)
    return body | {
        "where": question.host or question.subject,
        "why": why,
        "asked_at": question.asked_at.isoformat(),
        "since": since_of(question),
        "changed_at": question.changed_at,
        "changed_by": question.changed_by,
        "changed_from": question.changed_from,
        "mend": "mend the rule in the charter; this settles by itself then"
        if question.is_about_its_rule
        else f"no change puts it right: {question.cannot_mend}"
        if question.cannot_mend
        else f"adzeguard questions answer {shlex.quote(question.id)} --mend --why '…'",
        "leave": f"adzeguard questions answer {shlex.quote(question.id)} --leave-until {until} --why '…'",
    }


def alarms(
    charter: Charter, tellers: Mapping[str, Teller], owner: str, by: str, why: str, proposal: Proposal
) -> list[tuple[str, str, str, Mapping[str, Any]]]:
    """Return the letters that tell every owner that something is enacted without the yes that it needs."""
    owners = sorted({rule.owner for rule in charter.rules if rule.owner} | ({owner} if owner else set()))
    changes = [change.in_words() for change in proposal.changes]
    told = "\n".join(f"  {line}" for line in changes[:_CHANGES_TOLD])
    more = f"\n  and {len(changes) - _CHANGES_TOLD} more" if len(changes) > _CHANGES_TOLD else ""
    body = {
        "subject": f"{by} enacts without approval: {why}",
        "text": f"{by} enacts this without the approval that it needs: {why}\n\n{told}{more}\n\n"
        "See what became of it: adzeguard journal",
        "by": by,
        "why": why,
        "changes": changes[:_CHANGES_TOLD],
    }
    ways = [(name, one) for name, teller in tellers.items() for one in owners if teller.takes("alarm", one)]
    return [(name, "alarm", one, body) for name, one in ways]


def any_question(questions: Iterable[Question], name: str) -> Question:
    """Return a question by its id, answered or not; `UnknownNameError` where there is none."""
    known = {one.id.casefold(): one for one in questions}
    found = known.get(name.casefold())
    if found is None:
        near = did_you_mean(name, [one.id for one in known.values() if one.is_open])
        raise UnknownNameError(f"there is no question '{name}'{near}", "See what waits: adzeguard questions")
    return found


def question_named(questions: Iterable[Question], name: str) -> Question:
    """Return an open question by its id; `UsageError` where there is none, or where it was answered."""
    found = any_question(questions, name)
    if not found.is_open:
        when = f" on {when_utc(found.answered_at)}" if found.answered_at else ""
        by = f" by {found.answered_by}" if found.answered_by else ""
        raise UsageError(
            f"{found.id} does not wait any more: {found.state}{by}{when}", "See: adzeguard questions --all"
        )
    return found


def waiver_named(waivers: Iterable[Waiver], name: str, now: datetime) -> Waiver:
    """Return a waiver that holds by its id; `UnknownNameError` where there is none."""
    known = {one.id.casefold(): one for one in waivers if one.holds(now)}
    found = known.get(name.casefold())
    if found is None:
        near = did_you_mean(name, [one.id for one in known.values()])
        raise UnknownNameError(f"no waiver that holds is called '{name}'{near}", "See: adzeguard questions waivers")
    return found


@dataclass(frozen=True, slots=True)
class Left:
    """What is left as it is: by its fingerprint, under which rule or check, where, and whom it names."""

    fingerprint: str
    rule: str
    where: str
    member: str


def waiver_over(earlier: Sequence[Waiver], about: Left, until: datetime, by: str, why: str, now: datetime) -> Waiver:
    """Return the waiver that leaves something until a moment, with its number, and how often that was done before."""
    renewed = sum(one.fingerprint == about.fingerprint for one in earlier)
    number = f"W{next_number(earlier)}"
    return Waiver(number, about.fingerprint, about.rule, about.where, about.member, by, why, now, until, renewed)


def waivers_over(
    earlier: Sequence[Waiver], questions: Sequence[Question], until: datetime, by: str, why: str, now: datetime
) -> list[Waiver]:
    """Return the waivers that leave what questions are about as it is until a moment, in their order."""
    made: list[Waiver] = []
    for question in questions:
        about = Left(question.fingerprint, question.rule, question.host or question.subject, question.member)
        made.append(waiver_over([*earlier, *made], about, until, by, why, now))
    return made


def answered(question: Question, state: State, by: str, why: str, now: datetime) -> Question:
    """Return a question with its answer."""
    return replace(question, state=state, answered_by=by, why=why, answered_at=now)
