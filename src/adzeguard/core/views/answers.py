"""Whether somebody may do something, and which entry decides."""

from collections.abc import Iterable, Mapping
from typing import Any

from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.answers import Answer
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.questions import Asked
from adzeguard.core.views.table import Column, Table, data_columns

_SAID = {True: ("may", "Yes"), False: ("may not", "No"), None: ("may or may not", "Not known")}
ANSWER_COLUMNS = (
    Column("who"),
    Column("right"),
    Column("object"),
    Column("allowed"),
    Column("because", "Because"),
    Column("entry"),
    Column("path", "Through"),
)


def answer_row(rights: Rights, who: Principal, target: Principal, right: Asked, answer: Answer) -> dict[str, Any]:
    """Return the answer to one question, with the entry that decides."""
    entry = answer.decision.entry
    because = answer.because
    if entry is not None and entry.sid is not None:
        holder = rights.holder(entry.sid).qualified_name
        verb = "is denied" if entry.denies else "is given"
        above = ", from above" if entry.inherited else ""
        because = f"{holder} {verb}: {rights.reader.in_words(entry)}{above}"
    return {
        "who": who.qualified_name,
        "right": right.words,
        "object": target.dn,
        "allowed": answer.allowed if answer.doubt is None else None,
        "because": because if answer.doubt is None else _in_doubt(who, answer),
        "entry": entry.to_bytes().hex() if entry is not None else "",
        "path": tuple(answer.through),
    }


def _in_doubt(who: Principal, answer: Answer) -> str:
    group = answer.doubt.qualified_name if answer.doubt is not None else ""
    otherwise = "lets" if not answer.allowed else "is denied"
    return f"{group} {otherwise}, and whether {who.qualified_name} is inside, only its own domain knows"


def answer_table(row: Mapping[str, Any], typed: str, target: Principal, right: Asked) -> Table:
    """Return one answer; its title says yes or no."""
    verb, said = _SAID[row["allowed"]]
    below = f" (asked of a {right.on_class} below it)" if right.on_class else ""
    title = f"{said}: {row['who']} {verb} {typed}, over {target.qualified_name}{below}"
    return Table([row], ANSWER_COLUMNS, title)


def answers_table(rows: Iterable[Mapping[str, Any]]) -> Table:
    """Return the answers to many questions; one that was not understood is allowed to nobody and says why."""
    rows = list(rows)
    yes, unclear = (sum(row["allowed"] is value for row in rows) for value in (True, None))
    columns = (
        Column("who", "Who"),
        Column("right", "Right"),
        Column("object", "Object"),
        Column("allowed", "Allowed"),
        Column("because", "Because", wide=True),
        *data_columns("entry", "path"),
    )
    note = f"{yes} yes, {len(rows) - yes - unclear} no, {unclear} not understood"
    return Table(rows, columns, "", note, "The file has no lines.")
