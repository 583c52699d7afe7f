"""Undo: from the journal to a plan that leads back."""

from collections.abc import Iterable, Sequence
from datetime import datetime

from adzeguard.core.change.inverse import inverse_plan
from adzeguard.core.change.plan import Change, Named, ObjectChange, Plan, members_only, read_change
from adzeguard.core.errors import UnknownNameError
from adzeguard.core.estate import Estate
from adzeguard.store.journal import Journal, JournalRow
from adzeguard.workflows.plan import whole_plan


def done_by(journal: Journal, apply: str, changes: Sequence[str] = (), kept: Sequence[str] = ()) -> list[Change]:
    """Return what one apply really changed, or only the changes named, less those kept.

    `UnknownNameError` for an apply or a change that is not there.
    """
    done = really_done(journal.rows(apply=apply))
    if not done:
        raise UnknownNameError(f"no apply called '{apply}' has changed anything", "See: adzeguard journal")
    known = {change.id for change in done}
    for wanted in (*changes, *kept):
        if wanted not in known:
            raise UnknownNameError(f"{apply} made no change {wanted}", f"It made {', '.join(sorted(known))}")
    return [change for change in done if (not changes or change.id in changes) and change.id not in kept]


def done_since(journal: Journal, moment: datetime) -> list[Change]:
    """Return what was really changed since a moment, oldest first."""
    return really_done(row for row in journal.rows() if datetime.fromisoformat(row.at) >= moment)


def last_apply(journal: Journal) -> str:
    """Return the name of the last apply that ended."""
    ended = journal.last_of_kind("end")
    if ended is None:
        raise UnknownNameError("nothing has been applied here yet", "See: adzeguard journal")
    return ended


def really_done(rows: Iterable[JournalRow]) -> list[Change]:
    """Changes that were verified or read back otherwise; what was not made needs no undoing."""
    intents: dict[tuple[str, str], Change] = {}
    done = []
    for row in rows:
        if row.kind == "intent":
            change = read_change(row.body["change"])
            intents[row.apply, change.id] = change
        elif row.kind == "outcome" and row.body["status"] in ("verified", "differs"):
            made = intents.get((row.apply, row.body["change"]))
            done += [made] if made is not None else []
    return done


def undo_plan(estate: Estate, done: Sequence[Change], collection: int, now: datetime, operator: str) -> Plan:
    """Return the plan that takes the changes back."""
    sids = {change.expects for change in members_only(done) if change.expects.startswith("S-1-")}
    ids = estate.ids_of_sids(sids)
    groups = estate.catalogue.principals(i for sid in sids if (i := ids[sid]) is not None)
    changes = inverse_plan(
        [with_known_sids(estate, change) for change in done],
        {str(group.sid): Named.of(group) for group in groups.values()},
    )
    return whole_plan(estate, changes, collection=collection, now=now, operator=operator)


def with_known_sids(estate: Estate, change: Change) -> Change:
    """Give what a plan has made itself the SID that is known by now."""
    parts = ("object",) if isinstance(change, ObjectChange) else ("group", "member")
    update = {part: _known(estate, named) for part in parts if (named := getattr(change, part)).made}
    return change.model_copy(update=update) if update else change


def _known(estate: Estate, named: Named) -> Named:
    found = estate.catalogue.by_dn(named.dn)
    return Named.of(estate.principal(found)) if found is not None else named
