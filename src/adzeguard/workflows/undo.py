"""Undo: from the journal to a proposal that leads back."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from adzeguard.core.change.changes import Change, Named, ObjectChange, members_only, read_change
from adzeguard.core.change.inverse import inverse_changes
from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import UnknownNameError
from adzeguard.core.estate.estate import Estate
from adzeguard.store.journal import Journal, JournalRow
from adzeguard.workflows.propose import whole_proposal


def done_by(journal: Journal, enactment: str, changes: Sequence[str] = (), kept: Sequence[str] = ()) -> list[Change]:
    """Return what one enactment really changed, or only the changes named, less those kept.

    `UnknownNameError` for an enactment or a change that is not there.
    """
    done = really_done(journal.rows(enactment=enactment))
    if not done:
        raise UnknownNameError(f"no enactment called '{enactment}' has changed anything", "See: adzeguard journal")
    known = {change.id for change in done}
    for wanted in (*changes, *kept):
        if wanted not in known:
            raise UnknownNameError(f"{enactment} made no change {wanted}", f"It made {', '.join(sorted(known))}")
    return [change for change in done if (not changes or change.id in changes) and change.id not in kept]


def done_since(journal: Journal, moment: datetime) -> list[Change]:
    """Return what was really changed since a moment, oldest first."""
    return really_done(row for row in journal.rows() if datetime.fromisoformat(row.at) >= moment)


def last_enactment(journal: Journal) -> str:
    """Return the name of the last enactment that ended."""
    ended = journal.last_of_kind("end")
    if ended is None:
        raise UnknownNameError("nothing has been enacted here yet", "See: adzeguard journal")
    return ended


def really_done(rows: Iterable[JournalRow]) -> list[Change]:
    """Changes that were verified or read back otherwise; what was not made needs no undoing."""
    intents: dict[tuple[str, str], Change] = {}
    done = []
    for row in rows:
        if row.kind == "intent":
            change = read_change(row.body["change"])
            intents[row.enactment, change.id] = change
        elif row.kind == "outcome" and row.body["status"] in ("verified", "differs"):
            made = intents.get((row.enactment, row.body["change"]))
            done += [made] if made is not None else []
    return done


def undo_proposal(estate: Estate, done: Sequence[Change], collection: int, now: datetime, operator: str) -> Proposal:
    """Return the proposal that takes the changes back."""
    sids = {change.expects for change in members_only(done) if change.expects.startswith("S-1-")}
    ids = estate.ids_of_sids(sids)
    groups = estate.catalogue.principals(i for sid in sids if (i := ids[sid]) is not None)
    changes = inverse_changes(
        [with_known_sids(estate, change) for change in done],
        {str(group.sid): Named.of(group) for group in groups.values()},
    )
    return whole_proposal(estate, changes, collection=collection, now=now, operator=operator)


def with_known_sids(estate: Estate, change: Change) -> Change:
    """Give what a proposal has made itself the SID that is known by now."""
    parts = ("object",) if isinstance(change, ObjectChange) else ("group", "member")
    update = {part: _known(estate, named) for part in parts if (named := getattr(change, part)).made}
    return change.model_copy(update=update) if update else change


def _known(estate: Estate, named: Named) -> Named:
    found = estate.catalogue.by_dn(named.dn)
    return Named.of(estate.principal(found)) if found is not None else named
