"""Questions to owners, and what was left as it is."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from adzeguard.core.time.question import Question, Waiver
from adzeguard.core.views.page import Fact, Lines, Page, Section
from adzeguard.core.views.table import Column, Noted, Row, Table, data_columns
from adzeguard.core.wording import age_in_words, when


def questions_table(questions: Iterable[Question], now: datetime) -> Table:
    """Return one row for each."""
    rows = [
        {
            **data_of(one),
            "what": Noted(one.message, " · ".join(part for part in (one.rule, one.owner, since_of(one)) if part)),
            "where": one.host or one.subject,
            "age": f"{age_in_words(now - one.asked_at)} ago",
        }
        for one in questions
    ]
    columns = (
        Column("id", "Question", fixed=True),
        Column("where", "Where", for_people=True),
        Column("what", "What", kind="noted", for_people=True, wide=True),
        *data_columns("rule", "subject", "member", "message", "owner"),
        Column("age", "Asked", for_people=True),
        *data_columns("subject_sid", "member_sid", "asked_at", "fingerprint", "host", "since", "again"),
        Column("state", "State", kind="word"),
        *data_columns("answered_by", "answered_at", "why"),
    )
    shown = columns if any(row["state"] != "open" for row in rows) else tuple(_without_title(columns, "state"))
    return Table(rows, shown, f"Questions: {len(rows)}", "", "Nothing waits for an answer.", _next_steps)


def _next_steps(rows: Sequence[Row]) -> list[str]:
    return [f"adzeguard questions show {row['id']}" for row in rows if row["state"] == "open"][:1]


def _without_title(columns: Iterable[Column], key: str) -> Iterable[Column]:
    return (Column(key) if column.key == key else column for column in columns)


def data_of(question: Question) -> dict[str, object]:
    """Return a question as plain values."""
    return {
        "id": question.id,
        "rule": question.rule,
        "subject": question.subject,
        "subject_sid": question.subject_sid,
        "member": question.member,
        "member_sid": question.member_sid,
        "message": question.message,
        "owner": question.owner,
        "asked_at": question.asked_at,
        "fingerprint": question.fingerprint,
        "host": question.host,
        "since": since_of(question),
        "again": question.again,
        "state": question.state,
        "answered_by": question.answered_by,
        "answered_at": question.answered_at,
        "why": question.why,
    }


def since_of(question: Question) -> str:
    """Return how it came to be, in words; empty where nothing is known."""
    if not question.changed_at:
        return ""
    by = f", by {question.changed_by}" if question.changed_by else ""
    origin = f" from {question.changed_from}" if question.changed_from else ""
    return f"{question.changed_at}{by}{origin}"


def question_page(question: Question, untold: Sequence[tuple[str, int, str]]) -> Page:
    """Return one question in full; `untold` are ways in which it has not been told yet: name, tries, what was wrong."""
    facts = [
        ("Where", question.host or question.subject),
        ("What", question.message),
        ("Since", since_of(question)),
        ("Rule", question.rule),
        ("Charter", question.says),
        ("Owner", question.owner or "nobody is named"),
        ("Asked", f"{when(question.asked_at)}{_again(question.again)}"),
        ("State", _state(question)),
    ]
    sections: list[Section] = [Fact(label, said) for label, said in facts if said]
    for teller, tries, detail in untold:
        said = f"by {teller}, tried {tries} times: {detail}" if tries else f"by {teller}: with the next round"
        sections.append(Fact("Not told", said, "high" if tries else ""))
    if question.is_open:
        sections.append(
            Lines(
                [
                    "mend the rule in the charter, and it settles by itself; or"
                    if question.is_about_its_rule
                    else f"no change puts it right ({question.cannot_mend}); or"
                    if question.cannot_mend
                    else f"adzeguard questions answer {question.id} --mend --why '…'",
                    f"adzeguard questions answer {question.id} --leave-until DATE --why '…'",
                    *([f"adzeguard charter allow {question.id}, if it is as it should be"] if question.member else []),
                ],
                "To answer it:",
                2,
            )
        )
    return Page(data_of(question) | {"says": question.says}, sections, f"Question {question.id}")


def _again(times: int) -> str:
    return f", after {times} earlier" if times else ""


def _state(question: Question) -> str:
    by = f" by {question.answered_by}" if question.answered_by else ""
    at = f" on {when(question.answered_at)}" if question.answered_at else ""
    why = f": {question.why}" if question.why else ""
    word = "it waits" if question.is_open else question.state
    return f"{word}{by}{at}{why}"


def waivers_table(waivers: Iterable[Waiver], now: datetime) -> Table:
    """Return one row for each."""
    rows = [
        {
            "id": one.id,
            "fingerprint": one.fingerprint,
            "rule": one.rule,
            "subject": one.subject,
            "member": one.member,
            "by": one.by,
            "why": one.why,
            "until_at": one.until,
            "renewed": one.renewed,
            "state": "holds" if one.holds(now) else ("ended" if one.ended else "over"),
        }
        for one in waivers
    ]
    columns = (
        Column("id", "Waiver", fixed=True),
        Column("subject", "Where"),
        Column("member", "Who"),
        Column("rule", "Rule"),
        Column("until_at", "Until", kind="moment"),
        Column("by", "By"),
        Column("why", "Why", wide=True),
        Column("renewed", "Renewed", kind="number"),
        *data_columns("fingerprint"),
        Column("state", "State", kind="word"),
    )
    return Table(rows, columns, f"Waivers: {len(rows)}", empty="Nothing is left as it is.")
