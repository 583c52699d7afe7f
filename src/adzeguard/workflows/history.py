"""The history of memberships: the trail, with the names that things have today."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime, timedelta
from typing import Any

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import is_listed
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.trail.history import Entry, Known, carried_on, direct_history, history_of, outside_hours
from adzeguard.core.values import dataclass
from adzeguard.core.views.table import LateRows, Row
from adzeguard.core.wording import age_in_words
from adzeguard.workflows.ancestor_groups import leading
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.newest_first import NewestFirst
from adzeguard.workflows.past import AROUND, Elsewhere, Past, all_known

Exactly = Callable[[Sequence[Known], AbstractSet[str]], Sequence[Known]]


@dataclass(frozen=True, slots=True)
class Asked:
    """What is asked: about which group, whom, by whom, when; `hours` are those outside of which is asked."""

    group: Principal | None = None
    person: Principal | None = None
    by: Principal | None = None
    since: datetime | None = None
    until: datetime | None = None
    hours: AbstractSet[int] | None = None
    offset: timedelta | None = None
    direct: bool = False
    undeclared: bool = False

    @property
    def is_about_time_alone(self) -> bool:
        """Whether everything of some time is asked for: it is read from the newest back, as far as it is shown."""
        return self.group is None and self.person is None and self.by is None and self.hours is None


def answered(asked: Asked, past: Past, exactly: Exactly | None = None) -> Sequence[Row]:
    """Return one row for each event that is asked about, newest first, made when it is looked at.

    `exactly` gives events of some groups the time at which they were, where two collections alone tell of them.
    """
    names = Identities(past.estate, past.store)
    elsewhere = Elsewhere.of(past)
    ours = declared_by(elsewhere.from_here)

    def made(entries: Sequence[Entry]) -> Sequence[Row]:
        told = {sid for e in entries for sid in (e.known.group, e.known.member, e.known.event.by_sid)}
        names.look_up(sid for sid in told if "=" not in sid)
        return [_row(entry, names, _is_inside(entry, past), ours) for entry in entries]

    rows = LateRows(_entries_asked_about(asked, past, elsewhere, names, exactly), made)
    return [row for row in rows if not row["declared"]] if asked.undeclared else rows


def _entries_asked_about(
    asked: Asked, past: Past, elsewhere: Elsewhere, names: Identities, exactly: Exactly | None
) -> Sequence[Entry]:
    if exactly is None and asked.is_about_time_alone:
        return NewestFirst(past, elsewhere, names, asked.since, asked.until)
    known = all_known(past, elsewhere, names, _groups_asked_about(asked, past, elsewhere, names))
    entries = _asked_about(asked, known, past)
    groups = {entry.known.group for entry in entries if entry.known.event.after is not None}
    return _asked_about(asked, exactly(known, groups), past) if exactly is not None and groups else entries


def _groups_asked_about(asked: Asked, past: Past, elsewhere: Elsewhere, names: Identities) -> AbstractSet[str] | None:
    """Return the groups whose events can matter to the answer; None if all can."""
    if asked.group is not None and asked.group.sid is not None:
        return {asked.group.sid} if asked.direct else leading([asked.group.sid], past, elsewhere, names)
    if asked.by is not None and asked.by.sid is not None:
        changed = past.trail.groups_changed(by=asked.by.sid)
    elif asked.person is not None and asked.person.sid is not None:
        members = past.trail.members_changed()
        names.learn(members)
        changed = [g for g, _ in past.trail.groups_of([m for m in members if names.key(*m) == asked.person.sid])]
    else:
        return None
    names.learn(changed)
    beside = [] if asked.by is not None else [*elsewhere.from_here, *elsewhere.seen]
    return {names.key(*one) for one in changed} | {one.group for one in beside}


def _asked_about(asked: Asked, known: Sequence[Known], past: Past) -> list[Entry]:
    entries = _entries(asked, known, past)
    if asked.hours is not None:
        entries = list(outside_hours(entries, asked.hours, asked.offset or timedelta()))
    return [entry for entry in entries if _is_asked(asked, entry)]


def _entries(asked: Asked, known: Sequence[Known], past: Past) -> list[Entry]:
    if asked.group is None or asked.group.sid is None or asked.direct:
        return list(direct_history(reversed(known)))
    return history_of(asked.group.sid, known, nested_now(past, asked.group, known))


def nested_now(past: Past, group: Principal, known: Sequence[Known]) -> Mapping[str, AbstractSet[str]]:
    """Return which groups are directly inside which, of all that may matter: those inside now, and those that were.

    A group that was put in or taken out led in with all that is inside it, though nothing was ever done to it itself.
    """
    groups = {one.group for one in known}
    nested = _nested_as_collected(past.estate, group, groups | {one.member for one in known})
    return carried_on(nested, [one for one in known if one.member in groups or one.member in nested], past.collected)


def _nested_as_collected(estate: Estate, group: Principal, changed: AbstractSet[str]) -> Mapping[str, set[str]]:
    ids = estate.ids_of_sids({Sid(sid) for sid in changed if sid.startswith("S-1-")})
    graph = estate.graph
    start = {group.id, *(i for i in ids.values() if i is not None and graph.position_of(i) is not None)}
    waiting, seen = list(start), set(start)
    edges: dict[int, list[int]] = {}
    for one in waiting:
        edges[one] = graph.groups_inside(one)
        waiting += [m for m in edges[one] if m not in seen]
        seen |= set(edges[one])
    found = estate.catalogue.principals(seen)
    sids = {i: str(p.sid) for i, p in found.items() if p.sid}
    return {sids[i]: {sids[m] for m in members if m in sids} for i, members in edges.items() if i in sids}


def _is_asked(asked: Asked, entry: Entry) -> bool:
    event = entry.known.event
    if asked.person is not None and entry.known.member != asked.person.sid:
        return False
    if asked.by is not None and event.by_sid != asked.by.sid:
        return False
    return (asked.since is None or event.at >= asked.since) and (asked.until is None or event.at <= asked.until)


def declared_by(from_here: Iterable[Known]) -> dict[tuple[str, str, str], list[datetime]]:
    """Return by verb, group and member when our journal says that it was done."""
    found: dict[tuple[str, str, str], list[datetime]] = {}
    for one in from_here:
        found.setdefault((one.event.verb, one.group, one.member), []).append(one.event.at)
    return found


def _is_inside(entry: Entry, past: Past) -> bool:
    """Tell whether somebody is inside now: by what was done last since the collection, else by the collection."""
    latest, known = entry.latest, entry.known
    if latest is not None and latest.at >= past.collected:
        return latest.verb == "added"
    return is_listed(past.estate, known.group, known.member)


def _row(
    entry: Entry, names: Identities, inside: bool, ours: Mapping[tuple[str, str, str], Sequence[datetime]]
) -> dict[str, Any]:
    known, event = entry.known, entry.known.event
    begin = (event.after or event.at) - AROUND
    declared = any(begin <= at <= event.at + AROUND for at in ours.get((event.verb, known.group, known.member), ()))
    return {
        "happened_at": event.at,
        "verb": event.verb,
        "group": names.shown(known.group, event.group),
        "group_sid": known.group if "=" not in known.group else "",
        "member": names.shown(known.member, event.member),
        "member_sid": known.member if "=" not in known.member else "",
        "via": " > ".join([*(names.shown(one) for one in entry.path), names.shown(known.group, event.group)])
        if entry.nested
        else "",
        "by": names.shown(event.by_sid, event.by) if event.by_sid else event.by,
        "by_sid": event.by_sid,
        "from": event.origin,
        "source": event.source,
        "declared": declared,
        "still": entry.undone_after is None and (inside == (event.verb == "added")),
        "after": event.after,
        "held": age_in_words(entry.undone_after) if entry.undone_after is not None else "",
    }
