"""How deviations came to be: the last event about each membership that the trail, our journal or collections tell."""

from collections.abc import Iterable, Sequence
from itertools import pairwise

from adzeguard.core.review.correction import Correction
from adzeguard.core.trail.history import Known
from adzeguard.core.wording import when_utc
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.past import Elsewhere, Past, all_known

Origin = tuple[str, str, str]
"""When, by whom and from where something was changed, in words; each may be empty."""
_NOTHING: Origin = ("", "", "")


def origins(corrections: Sequence[Correction], past: Past) -> list[Origin]:
    """Return it for each, in their order; of what is no membership of the directory nothing is known."""
    wanted = [_pairs(one) for one in corrections]
    if not any(wanted):
        return [_NOTHING] * len(wanted)
    names = Identities(past.estate, past.store)
    last = _last({pair for pairs in wanted for pair in pairs}, past, names)
    names.look_up(one.event.by_sid for one in last.values() if one.event.by_sid)
    return [_latest([last[pair] for pair in pairs if pair in last], names) for pairs in wanted]


def origins_of_pairs(pairs: Iterable[tuple[str, str]], past: Past) -> dict[tuple[str, str], tuple[str, str]]:
    """Return by group and member, as SIDs, since when each is inside and by whom, as far as that is known."""
    names = Identities(past.estate, past.store)
    last = _last(set(pairs), past, names)
    names.look_up(one.event.by_sid for one in last.values() if one.event.by_sid)
    words = {pair: _in_words(one, names) for pair, one in last.items() if one.event.verb == "added"}
    return {pair: (when, by) for pair, (when, by, _) in words.items()}


def _pairs(correction: Correction) -> list[tuple[str, str]]:
    """Return each group and member in which a deviation lies: one, or all of a chain of nested groups."""
    if correction.host is not None or correction.member is None:
        return []
    chain = [str(step["sid"]) for step in correction.evidence.get("chain", ()) if step["sid"]]
    return list(pairwise(chain)) if chain else [(correction.subject.sid, correction.member.sid)]


def _latest(known: Sequence[Known], names: Identities) -> Origin:
    return _in_words(max(known, key=lambda one: one.event.at), names) if known else _NOTHING


def _last(wanted: set[tuple[str, str]], past: Past, names: Identities) -> dict[tuple[str, str], Known]:
    known = all_known(past, Elsewhere.of(past), names, {group for group, _ in wanted})
    return {(one.group, one.member): one for one in known if one.group and (one.group, one.member) in wanted}


def _in_words(known: Known, names: Identities) -> Origin:
    event = known.event
    at = when_utc(event.at, seconds=True)
    when = at if event.after is None else f"between {when_utc(event.after)} and {at}"
    return when, names.shown(event.by_sid, event.by) if event.by_sid else event.by, event.origin
