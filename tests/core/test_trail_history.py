"""Who was inside when: from events, with nested groups followed as they stood at each moment."""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.trail.audit_coverage import gaps
from adzeguard.core.trail.event import Event
from adzeguard.core.trail.history import Known, carried_on, history_of

NOON = datetime(2026, 11, 22, 12, tzinfo=UTC)
GROUPS = ("g0", "g1", "g2", "g3")
PEOPLE = ("p0", "p1", "p2")
Moves = list[tuple[str, str]]


def played(moves: Moves) -> tuple[list[Known], list[dict[str, set[str]]]]:
    """What a log tells of memberships that are turned one after the other, and what stood before and after each."""
    inside: dict[str, set[str]] = {group: set() for group in GROUPS}
    known, states = [], [{group: set(members) for group, members in inside.items()}]
    for place, (group, member) in enumerate(moves):
        verb = "removed" if member in inside[group] else "added"
        inside[group] ^= {member}
        event = Event(NOON + timedelta(minutes=place), verb, group=group, member=member)
        known.append(Known(event, group, member))
        states.append({name: set(members) for name, members in inside.items()})
    return known, states


def reached(state: Mapping[str, set[str]], group: str) -> set[str]:
    """All groups that lead into one, itself among them."""
    found, waiting = {group}, [group]
    while waiting:
        for child in state[waiting.pop()] & set(GROUPS):
            if child not in found:
                found.add(child)
                waiting.append(child)
    return found


MOVES = st.lists(
    st.tuples(st.sampled_from(GROUPS), st.sampled_from([*GROUPS, *PEOPLE])).filter(lambda move: move[0] != move[1]),
    max_size=30,
)


@given(MOVES)
def test_a_history_holds_every_change_to_what_led_in_at_that_time_and_no_other(moves: Moves) -> None:
    """However groups were put into each other and taken out again, rings among them."""
    known, states = played(moves)
    nested = {group: members & set(GROUPS) for group, members in states[-1].items()}
    entries = history_of("g0", known, nested)
    wanted = [one for place, one in enumerate(known) if one.group in reached(states[place + 1], "g0")]
    assert [entry.known for entry in entries] == wanted[::-1]
    for entry in entries:
        assert entry.nested == (entry.known.group != "g0")


@given(MOVES)
def test_how_long_it_held_is_the_time_to_the_opposite(moves: Moves) -> None:
    """What was done is undone by the next event about the same pair, or still holds."""
    known, _ = played(moves)
    for entry in history_of("g0", known, {}):
        one = entry.known
        later = [
            k.event.at for k in known if (k.group, k.member) == (one.group, one.member) and k.event.at > one.event.at
        ]
        assert entry.undone_after == (min(later) - one.event.at if later else None)


@given(MOVES, st.integers(0, 30), st.integers(0, 3))
def test_what_was_done_since_a_collection_began_is_carried_on(moves: Moves, collected: int, took: int) -> None:
    """Also what was done while it was read, which it may have seen already or not."""
    known, states = played(moves)
    begun = NOON + timedelta(minutes=collected)
    seen = states[min(collected + took, len(moves))]
    assert carried_on(seen, known, begun) == states[-1]


def test_a_night_is_no_gap_and_days_without_an_event_are() -> None:
    """What is usual is taken from the trail itself."""
    start = int(NOON.timestamp()) * 1_000_000
    hours = [day * 24 + hour for day in range(20) for hour in range(8, 17)]
    times = [start + hour * 3_600_000_000 for hour in hours]
    assert gaps(times) == []
    without = [t for t, hour in zip(times, hours, strict=True) if not 7 * 24 <= hour < 11 * 24]
    [gap] = gaps(without)
    assert gap.length > timedelta(days=4)
    assert gaps(times[:10]) == []
