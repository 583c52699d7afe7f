"""Undo: from the journal to a draft that leads back."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import datetime

from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.inverse import inverse_changes
from adzeguard.core.change.kinds.set_primary_group import SetPrimaryGroup
from adzeguard.core.errors import UnknownNameError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.time.lease import lease_ended_by
from adzeguard.store.journal import Journal
from adzeguard.workflows.journal_rows import done_as_far_as_known, really_done
from adzeguard.workflows.made_again import as_known_today

_NO_RULES = (BY_HAND_RULE, UNDO_RULE)


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
    return really_done(journal.rows(since=moment))


def last_enactment(journal: Journal) -> str:
    """Return the name of the last enactment that ended."""
    ended = journal.last_of_kind("end")
    if ended is None:
        raise UnknownNameError("nothing has been enacted here yet", "See: adzeguard journal")
    return ended


def undo_draft(estate: Estate, journal: Journal, done: Sequence[Change]) -> Draft:
    """Return the changes that take these back; what was deleted and made again since is meant as it is now."""
    sids = {change.before for change in done if isinstance(change, SetPrimaryGroup)}
    ids = estate.ids_of_sids(sids)
    groups = estate.catalogue.principals(i for sid in sids if (i := ids[sid]) is not None)
    known = as_known_today(estate, done, lambda: done_as_far_as_known(journal.rows()))
    ends = [change for change in known if change.removes_member and lease_ended_by(change.why)]
    stood = [change for change in known if change.takes_over]
    known = [change for change in known if change not in ends and change not in stood]
    inverses = inverse_changes(known, {str(group.sid): Named.of(group) for group in groups.values()})
    if any(change.puts_in() for change in inverses):
        inverses = _given_back(inverses, done_as_far_as_known(journal.rows()))
    return replace(Draft.of(inverses), left_out=(*_for_good(known), *_ended_for_good(ends), *_stood_before(stood)))


def _for_good(done: Sequence[Change]) -> Iterator[LeftOut]:
    for change in done:
        if change.never_back:
            yield LeftOut(subject=change.in_words(), member="", rule=UNDO_RULE, reason=change.never_back)


def _ended_for_good(ends: Sequence[Change]) -> Iterator[LeftOut]:
    """What a lease gave is given back by another lease alone: undone it would stand without an end."""
    for change in ends:
        reason = f"it ended {lease_ended_by(change.why)}; undone it would last. Give it anew: adzeguard lease start"
        yield LeftOut(subject=change.about.group, member=change.about.member, rule=UNDO_RULE, reason=reason)


def _stood_before(taken_over: Sequence[Change]) -> Iterator[LeftOut]:
    for change in taken_over:
        reason = "it stood before the rule took it over, and nothing was written"
        yield LeftOut(subject=change.in_words(), member="", rule=UNDO_RULE, reason=reason)


def _given_back(inverses: Sequence[Change], all_done: Sequence[Change]) -> list[Change]:
    """Return changes with those that put in again what a rule had put in as that rule's: it is withdrawn with it.

    Who put something in last owns it: undone, a withdrawal would otherwise leave what nobody takes away any more.
    """
    owners = {key: change for change in all_done if change.rule != UNDO_RULE for key in change.puts_in()}
    found = []
    for change in inverses:
        owner = next((owners[key] for key in change.puts_in() if key in owners), None)
        is_of_rule = owner is not None and owner.rule not in _NO_RULES
        found.append(change.by(owner.rule, change.why) if owner is not None and is_of_rule else change)
    return found
