"""The timeline of a group: who was inside when, by what the trail, our journal and collections tell."""

from collections.abc import Iterable, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime
from typing import Final

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.question import Question, Waiver
from adzeguard.core.trail.audit_coverage import gaps
from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known, carried_on
from adzeguard.core.trail.intervals import Stretch, about, intervals_of
from adzeguard.core.values import dataclass
from adzeguard.core.views.timeline import Inside, Mark, Timeline
from adzeguard.core.wording import when_utc
from adzeguard.workflows.ancestor_groups import leading
from adzeguard.workflows.identities import Identities
from adzeguard.workflows.past import Elsewhere, Past, all_known

_A_MINUTE: Final = 60


@dataclass(frozen=True, slots=True)
class Decided:
    """What was decided here: leases, questions and waivers."""

    leases: Sequence[Lease] = ()
    questions: Sequence[Question] = ()
    waivers: Sequence[Waiver] = ()


def timeline_of(past: Past, group: Principal, since: datetime, until: datetime, decided: Decided) -> Timeline:
    """Return it: everybody who was inside at any moment since then, the earliest first."""
    names = Identities(past.estate, past.store)
    sid = str(group.sid)
    elsewhere = Elsewhere.of(past)
    known = all_known(past, elsewhere, names, leading([sid], past, elsewhere, names))
    as_collected, groups = _members_as_collected(past.estate, group, known)
    members = carried_on(as_collected, known, past.collected)
    mattering = about(sid, known, members, groups)
    found = {
        person: [one for one in stretches if one.end is None or one.end >= since]
        for person, stretches in intervals_of(sid, mattering, members, groups).items()
    }
    found = {person: stretches for person, stretches in found.items() if stretches}
    names.look_up(_sids_in(found))
    shown = {person: names.shown(person) for person in found}
    first = {
        person: stretches[0].begin or datetime.min.replace(tzinfo=until.tzinfo) for person, stretches in found.items()
    }
    order = sorted(found, key=lambda person: (first[person], shown[person]))
    people = {
        shown[person]: [_named(one, person, sid, names, decided.leases) for one in found[person]] for person in order
    }
    times = past.trail.times(since)
    marks = [mark for mark in _marks(sid, decided, names) if since <= mark.at <= until]
    sids = {shown[p]: p for p in order}
    return Timeline(group.qualified_name, since, until, people, sids, marks, gaps(times), group.sid or "")


def _sids_in(found: dict[str, list[Stretch]]) -> set[str]:
    events = [event for stretches in found.values() for one in stretches for event in (one.begun, one.ended) if event]
    return {sid for sid in (*found, *(event.by_sid for event in events)) if sid.startswith("S-1-")}


def _members_as_collected(
    estate: Estate, group: Principal, known: Iterable[Known]
) -> tuple[dict[str, AbstractSet[str]], AbstractSet[str]]:
    """Return who is directly inside each group that may matter, and which of all those are groups."""
    told = {one.group for one in known} | {one.member for one in known}
    ids = estate.ids_of_sids({sid for sid in told if sid.startswith("S-1-")})
    waiting = [group.id, *(i for sid in sorted(told) if (i := ids.get(sid)) is not None)]
    direct: dict[int, list[int]] = {}
    for one in waiting:
        if one not in direct and estate.graph.position_of(one) is not None:
            # Whose primary group it is stands in no list, and is inside all the same.
            direct[one] = [*estate.graph.direct_members(one).tolist(), *estate.graph.primary_members(one).tolist()]
            waiting += direct[one]
    everybody = estate.catalogue.principals({*direct, *(member for them in direct.values() for member in them)})
    keys = {i: str(one.sid or one.dn) for i, one in everybody.items()}
    members = {keys[one]: {keys[i] for i in them if i in keys} for one, them in direct.items() if one in keys}
    return dict(members), set(members)


def _named(one: Stretch, person: str, group: str, names: Identities, leases: Sequence[Lease]) -> Inside:
    lease = next(
        (
            lease.id
            for lease in leases
            if (lease.member_sid, lease.group_sid) == (person, group)
            and one.begin is not None
            and abs((lease.begun - one.begin).total_seconds()) < _A_MINUTE
        ),
        "",
    )
    return Inside(one.begin, one.end, _by(one.begun, names), _by(one.ended, names), lease)


def _by(event: Event | None, names: Identities) -> str:
    if event is None:
        return ""
    return names.shown(event.by_sid, event.by) if event.by_sid else event.by


def _marks(group: str, decided: Decided, names: Identities) -> list[Mark]:
    marks: list[Mark] = []
    for question in decided.questions:
        if question.subject_sid == group and question.member_sid:
            member = names.shown(question.member_sid, question.member)
            marks.append(Mark(question.asked_at, member, f"asked ({question.id})"))
            if question.answered_at is not None:
                by = f" by {question.answered_by}" if question.answered_by else ""
                marks.append(Mark(question.answered_at, member, f"{question.state}{by} ({question.id})"))
    for lease in decided.leases:
        if lease.group_sid == group and not lease.host:
            member = names.shown(lease.member_sid, lease.member)
            marks.append(Mark(lease.begun, member, f"lease until {when_utc(lease.until)} ({lease.id})"))
    return sorted(marks, key=lambda mark: mark.at)
