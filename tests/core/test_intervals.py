"""Who was inside when, held against memberships recomputed at every moment."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known
from adzeguard.core.trail.intervals import about, intervals_of

BEGIN = datetime(2026, 11, 1, tzinfo=UTC)
GROUPS = ("G0", "G1", "G2", "G3")
PEOPLE = ("p0", "p1", "p2")
Members = dict[str, set[str]]


def at(minute: int) -> datetime:
    """A moment."""
    return BEGIN + timedelta(minutes=minute)


def known(minute: int, verb: str, group: str, member: str) -> Known:
    """Something that was done."""
    return Known(Event(at(minute), verb, group=group, member=member), group, member)


def effective(group: str, members: Members) -> set[str]:
    """Everybody inside, however deeply nested."""
    seen, waiting = {group}, [group]
    people: set[str] = set()
    for one in waiting:
        for member in members.get(one, set()):
            if member in GROUPS and member not in seen:
                seen.add(member)
                waiting.append(member)
            elif member in PEOPLE:
                people.add(member)
    return people


@st.composite
def _pasts(draw: st.DrawFn) -> tuple[list[Known], Members, list[Members]]:
    """Events, who is inside at their end, and who was before each of them."""
    members: Members = {group: set() for group in GROUPS}
    for group in GROUPS:
        members[group] |= draw(st.sets(st.sampled_from((*PEOPLE, *GROUPS)), max_size=2))
    moments = []
    events = []
    for minute in range(draw(st.integers(0, 14))):
        group, member = draw(st.sampled_from(GROUPS)), draw(st.sampled_from((*PEOPLE, *GROUPS)))
        moments.append({one: set(them) for one, them in members.items()})
        verb = "removed" if member in members[group] else "added"
        (members[group].discard if verb == "removed" else members[group].add)(member)
        events.append(known(minute, verb, group, member))
    return events, members, moments


@given(_pasts(), st.booleans())
def test_at_every_moment_just_those_who_were_inside(
    past: tuple[list[Known], Members, list[Members]], narrowed: bool
) -> None:
    """Nested groups, rings and empty groups among them; also when only the events that can matter are looked at."""
    events, members, moments = past
    looked_at = about("G0", events, members, set(GROUPS)) if narrowed else events
    found = intervals_of("G0", looked_at, members, set(GROUPS))
    for minute, before in enumerate(moments):
        moment = at(minute) - timedelta(seconds=30)
        inside = {
            person
            for person, stretches in found.items()
            for one in stretches
            if (one.begin is None or one.begin <= moment) and (one.end is None or moment < one.end)
        }
        assert inside == effective("G0", before)
    still = {person for person, stretches in found.items() if stretches[-1].end is None}
    assert still == effective("G0", members)
    for stretches in found.values():
        ends = [moment for one in stretches for moment in (one.begin, one.end) if moment is not None]
        assert ends == sorted(ends)
