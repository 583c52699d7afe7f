"""States of hosts of one image, read through what was learned from the first of them."""

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.estate.alike_states import AlikeStates
from adzeguard.core.estate.hosts import HostState, LocalAccount, LocalGroup
from adzeguard.core.estate.notice import NOTICE, Notice
from adzeguard.core.identity import Sid
from adzeguard.store.host_rows import state_of_text, state_text

# One is the beginning of another, and one is an account of another: nothing must be taken for what it only begins like.
_MACHINES = ("S-1-5-21-1-2-3", "S-1-5-21-1-2-31", "S-1-5-21-1-2-3-500", "S-1-5-21-9-9-9", 'S-1-5-21-"', "odd", "")


@st.composite
def random_states(draw: st.DrawFn) -> HostState:
    """What a host may say, with SIDs of other hosts that begin like its own."""
    machine = Sid(draw(st.sampled_from(_MACHINES)))
    sids = st.builds(
        lambda of, rid: Sid(f"{of}-{rid}"), st.sampled_from((machine, *_MACHINES[:4])), st.integers(500, 502)
    )
    texts = st.sampled_from(("a", "Administrator", f"{machine}-500", "\x00-500", f'"{machine}"'))
    accounts = draw(st.lists(st.builds(LocalAccount, texts, sids, st.booleans()), max_size=2))
    groups = draw(st.lists(st.builds(LocalGroup, texts, sids, st.frozensets(sids, max_size=3)), max_size=2))
    notice = draw(st.none() | st.builds(Notice, texts, texts))
    return HostState(
        machine,
        tuple(sorted(accounts, key=lambda a: (a.name, a.sid, a.enabled))),
        tuple(sorted(groups, key=lambda g: (g.name, g.sid, sorted(g.members)))),
        frozenset({"local-groups"} | ({NOTICE.name} if notice else set())),
        {NOTICE.name: notice} if notice else {},
    )


@given(st.lists(random_states(), max_size=8))
def test_read_alike(states: list[HostState]) -> None:
    """Every state is read as it would be by itself, whatever was read before it."""
    together = AlikeStates(state_of_text)
    texts = [state_text(state) for state in states]
    assert [together.read(text) for text in texts] == [state_of_text(text) for text in texts] == states


def test_alike_by_accident() -> None:
    """A SID that only begins like the host's own, and a name that is the host's SID, are nobody's but this host's."""
    together = AlikeStates(state_of_text)
    for machine in (Sid("S-1-5-21-1-2-3"), Sid("S-1-5-21-9-9-9")):
        longer = LocalGroup("g", Sid("S-1-5-32-544"), frozenset({Sid(f"{machine}1-500")}))
        called = LocalAccount(machine, Sid(f"{machine}-1000"))
        for state in (HostState(machine, (), (longer,)), HostState(machine, (called,), ())):
            assert together.read(state_text(state)) == state


def test_nothing_to_read() -> None:
    """What cannot be read gives nothing, and neither does an empty text."""
    together = AlikeStates(state_of_text)
    assert [together.read(text) for text in ("", "{", '{"machine_sid":"S-1-5-21-1"}')] == [None, None, None]
