"""Undo as a pure function: what was done, taken together, leads back."""

from adzeguard.core.change.changes import Expected, MemberChange, Named, Verb
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.change.inverse import inverse_changes

GROUPS = [Named(name=f"g{n}", sid=f"S-1-5-21-1-1-1-{600 + n}") for n in range(3)]
MEMBERS = [Named(name=f"m{n}", sid=f"S-1-5-21-1-1-1-{700 + n}") for n in range(3)]
HOSTS = [None, "KIOSK-1"]
State = tuple[frozenset, dict]


def make(state: State, change: MemberChange) -> State | None:
    """Make a change where what it expects stands; nothing where it is a conflict."""
    members, primary = state
    if change.verb == Verb.SET_PRIMARY_GROUP:
        if primary[change.member.sid] != change.expects:
            return None
        return members, {**primary, change.member.sid: change.group.sid}
    key = (change.host, change.group.sid, change.member.sid)
    if (key in members) != (change.expects == Expected.PRESENT):
        return None
    return (members - {key} if change.verb == Verb.REMOVE_MEMBER else members | {key}), primary


@st.composite
def courses(draw: st.DrawFn) -> tuple[State, list[MemberChange], State]:
    """A state, changes that were really made one after the other, and the state they led to."""
    keys = [(host, group.sid, member.sid) for host in HOSTS for group in GROUPS for member in MEMBERS]
    state: State = (frozenset(draw(st.sets(st.sampled_from(keys)))), {m.sid: GROUPS[0].sid for m in MEMBERS})
    start, done = state, []
    for number in range(draw(st.integers(0, 12))):
        member, group = draw(st.sampled_from(MEMBERS)), draw(st.sampled_from(GROUPS))
        if draw(st.booleans()):
            host = draw(st.sampled_from(HOSTS))
            present = (host, group.sid, member.sid) in state[0]
            verb, expects = (Verb.REMOVE_MEMBER, Expected.PRESENT) if present else (Verb.ADD_MEMBER, Expected.ABSENT)
        else:
            host, verb, expects = None, Verb.SET_PRIMARY_GROUP, state[1][member.sid]
        change = MemberChange(
            id=f"c{number}", verb=verb, host=host, group=group, member=member, expects=expects, rule="r"
        )
        made = make(state, change)
        assert made is not None
        done.append(change)
        state = made
    return start, done, state


@given(courses())
def test_undoing_a_course_of_changes_leads_back_to_its_beginning(
    course: tuple[State, list[MemberChange], State],
) -> None:
    """Every inverse finds what it expects, and together they restore each membership and primary group, once each."""
    start, done, state = course
    back = inverse_changes(done, {group.sid: group for group in GROUPS})
    for change in back:
        made = make(state, change)
        assert made is not None, change
        state = made

    assert state == start
    assert len(back) <= len(done)
    assert len({change.id for change in back}) == len(back)
