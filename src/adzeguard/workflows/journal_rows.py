"""What the rows of the journal say, in any form they were written."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.outcome import MADE, Outcome, Status
from adzeguard.core.change.written_change import read_change
from adzeguard.core.errors import ProposalFileError, StoreError
from adzeguard.core.wording import some_of
from adzeguard.store.journal import JournalRow

if TYPE_CHECKING:
    from adzeguard.core.change.proposal import Proposal

_WAY_OUT = "See: adzeguard journal verify; use the version that wrote it"


def unreadable(row: JournalRow, why: str) -> StoreError:
    """Return the error for a row that cannot be read."""
    return StoreError(f"row {row.seq} of the journal cannot be read: {why}", _WAY_OUT)


def change_of(row: JournalRow) -> Change:
    """Return the change that an intent is about; `StoreError` for a row that cannot be read."""
    if row.trouble:
        raise unreadable(row, row.trouble)
    try:
        return read_change(row.body.get("change"), row.format)
    except ProposalFileError as error:
        raise unreadable(row, error.message) from error


def proposal_in(row: JournalRow) -> "Proposal":
    """Return the proposal that an enactment began with."""
    if row.trouble:
        raise unreadable(row, row.trouble)
    from adzeguard.core.change.written import proposal_of  # only here: most looks ask for changes alone

    try:
        return proposal_of(row.body.get("proposal", row.body.get("plan")))
    except ProposalFileError as error:
        raise unreadable(row, error.message) from error


def outcome_of(row: JournalRow, changes: Iterable[Change]) -> Outcome:
    """Return what became of one of these changes."""
    known = {change.id: change for change in changes}
    try:
        return Outcome(known[row.body["change"]], Status(row.body["status"]), str(row.body["detail"]))
    except (KeyError, ValueError, TypeError) as error:
        raise unreadable(row, row.trouble or "it tells no outcome of its proposal") from error


def really_done(rows: Iterable[JournalRow]) -> list[Change]:
    """Return the changes that were verified or read back otherwise; what was not made needs no undoing."""
    intents: dict[tuple[str, str], Change] = {}
    done: list[Change] = []
    for row in rows:
        if row.kind == "intent":
            change = change_of(row)
            intents[row.enactment, change.id] = change
        elif row.kind == "outcome" and row.body.get("status") in MADE:
            made = intents.get((row.enactment, str(row.body.get("change"))))
            done += [made] if made is not None else []
        elif row.kind == "outcome" and row.body.get("status") == Status.PUT_BACK:
            back = intents.get((row.enactment, str(row.body.get("change"))))
            done = [change for change in done if change is not back]
    return done


def done_as_far_as_known(rows: Iterable[JournalRow]) -> list[Change]:
    """Return the same of the rows that can be read: looking and collecting must not be stopped by one that cannot."""
    return really_done(_readable(rows))


def _readable(rows: Iterable[JournalRow]) -> Iterator[JournalRow]:
    """Leave out what cannot be read: what is done now must not be blocked by it, and others tell of it."""
    for row in rows:
        try:
            if row.kind == "intent":
                change_of(row)
        except StoreError:
            continue
        yield row


def taken_out_of(rows: Iterable[JournalRow]) -> Counter[str]:
    """Return by its SID how many members were taken out of each group of the directory, and not put back since."""
    out: set[tuple[str, str]] = set()
    for change in done_as_far_as_known(rows):
        if isinstance(change, RemoveMember):
            out.add((change.group.sid, change.member.key))
        elif isinstance(change, AddMember):
            out.discard((change.group.sid, change.member.key))
    return Counter(group for group, _ in out)


def _kept_in_words(kept: Mapping[str, Mapping[str, Any]]) -> str:
    shown = {"put_in": "what rules have put in", "retired": "what is put away"}
    return "; ".join(f"{shown.get(table, table)} {some_of(list(rows))}" for table, rows in kept.items())


def in_words(row: JournalRow) -> str:  # noqa: PLR0911 - one sentence for each kind of row
    """Return what a row says, for people; a row that cannot be read says so, and keeps no other from view."""
    if row.trouble:
        return f"cannot be read: {row.trouble}"
    body = row.body
    try:
        match row.kind:
            case "begin":
                proposal = body.get("proposal", body.get("plan", {}))
                return f"{row.enactment}: {len(proposal['changes'])} changes proposed by {proposal['made_by']}"
            case "intent":
                change = change_of(row)
                return f"{change.id}: {change.in_words()} ({change.rule})"
            case "outcome":
                return f"{body['change']}: {body['status']}" + (f", {body['detail']}" if body["detail"] else "")
            case "putting-back":
                return f"{body['change']}: about to be taken back"
            case "kept":
                return f"noted: {_kept_in_words(body['kept'])}"
            case "end":
                return ", ".join(f"{count} {status}" for status, count in body.items())
            case _:
                return f"a row of the kind '{row.kind}', which this version does not know"
    except StoreError as error:
        return error.message
    except (KeyError, TypeError, AttributeError):
        return "cannot be read: it lacks what a row of its kind holds"
