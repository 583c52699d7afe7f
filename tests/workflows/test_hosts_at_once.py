"""Many hosts at once, and drivers that fail in their own ways."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import HostError, HostUnknownError, HostUnreachableError
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.identity import Sid
from adzeguard.hosts.fleet import Fleet, FleetSource
from adzeguard.hosts.guarded_session import session_with
from adzeguard.workflows.collect import read_host
from adzeguard.workflows.fan_out import over_hosts
from adzeguard.workflows.pace import Pace

STATE = HostState(Sid("S-1-5-21-7-7-7"))
KIOSK = Host(1, "KIOSK-1", "CN=KIOSK-1,DC=lowmere,DC=example")


@given(st.lists(st.integers(), max_size=120), st.integers(1, 50))
def test_many_at_once_come_back_in_their_order(items: list[int], in_a_task: int) -> None:
    """However they are cut into tasks, each is done once and what it came to stands at its place."""
    parts = list(over_hosts(items, lambda item: item + 1, in_a_task=in_a_task))
    assert [one for part in parts for one in part] == [item + 1 for item in items]
    assert all(len(part) <= in_a_task for part in parts)


def test_hosts_are_really_worked_with_at_once() -> None:
    """Eight that wait for each other all come through: one after the other they would wait for ever."""
    together = threading.Barrier(8, timeout=20)
    done = [place for part in over_hosts(range(8), lambda _: together.wait(), in_a_task=1) for place in part]
    assert sorted(done) == list(range(8))


class Failing:
    """A source that fails in one place."""

    def __init__(self, where: str, error: BaseException) -> None:
        self.where = where
        self.error = error

    @contextmanager
    def session(self, _host: Host) -> Iterator["Failing"]:
        self.fail("open")
        yield self
        self.fail("close")

    def fail(self, where: str) -> None:
        if where == self.where:
            raise self.error

    def read(self) -> HostState:
        self.fail("read")
        return STATE

    def change(self, _change: object) -> None:
        self.fail("change")

    def close(self) -> None:
        pass


def everywhere(source: Failing) -> Fleet:
    """A fleet that one source looks after."""
    return Fleet([FleetSource("kiosks", FleetPart(), source)])


def work_with(source: Failing) -> None:
    """Read a host and change it."""
    with session_with(source, KIOSK) as session:
        session.read()
        session.change(None)


@pytest.mark.parametrize("where", ["open", "read", "change", "close"])
@pytest.mark.parametrize(
    "error", [ValueError("odd"), OSError("cut"), RuntimeError("why")], ids=lambda e: type(e).__name__
)
def test_whatever_a_driver_raises_is_an_error_of_ours(where: str, error: Exception) -> None:
    """Wherever it fails, the host and the cause are named, and the cause is kept."""
    with pytest.raises(HostError) as caught:
        work_with(Failing(where, error))
    assert caught.value.message == f"the driver failed with KIOSK-1: {type(error).__name__}: {error}"
    assert caught.value.__cause__ is error


def test_what_a_driver_says_itself_stays_as_it_said_it() -> None:
    """An error of ours is handed on, and what people interrupt is interrupted."""
    with (
        pytest.raises(HostUnreachableError, match="off"),
        session_with(Failing("read", HostUnreachableError("off")), KIOSK) as s,
    ):
        s.read()
    with pytest.raises(KeyboardInterrupt), session_with(Failing("read", KeyboardInterrupt()), KIOSK) as s:
        s.read()


def test_a_host_that_cannot_be_read_keeps_what_was_known_of_it() -> None:
    """The last state stays, with the trouble beside it; one that was never read has none."""
    broken = everywhere(Failing("read", ValueError("odd")))
    known = Host(1, "KIOSK-1", KIOSK.dn, STATE)
    again = read_host(broken, KIOSK, known)
    assert (again.state, again.trouble) == (STATE, "the driver failed with KIOSK-1: ValueError: odd")
    never = read_host(broken, KIOSK, None)
    assert (never.state, never.source) == (None, "kiosks")
    whole = read_host(everywhere(Failing("", ValueError())), KIOSK, None)
    assert (whole.state, whole.trouble) == (STATE, "")


def test_the_first_source_whose_part_takes_a_host_reaches_it() -> None:
    """What none takes, and what the one that does has none of, is of no source, and nothing is known of it."""
    off = Failing("read", HostUnreachableError("off"))
    unknown = Failing("open", HostUnknownError("none of that name"))
    fleet = Fleet(
        [
            FleetSource("kiosks", FleetPart(named=["kiosk-?"]), Failing("", ValueError())),
            FleetSource("quay", FleetPart(under=["OU=Quay"]), unknown),
            FleetSource("linux", FleetPart(system=["debian*"]), off),
        ]
    )
    linux = replace(KIOSK, name="NAV-1", details='{"operating_system": "Debian GNU/Linux"}')
    quay = replace(linux, dn="CN=NAV-1,OU=Slip,OU=Quay,DC=lowmere,DC=example")
    other = replace(KIOSK, name="NAV-2", state=STATE)
    read = [read_host(fleet, host, other) for host in (KIOSK, linux, quay, other)]
    assert [(host.source, host.trouble, host.state) for host in read] == [
        ("kiosks", "", STATE),
        ("linux", "off", STATE),
        ("", "", None),
        ("", "", None),
    ]


@pytest.mark.parametrize(
    ("part", "taken"),
    [
        (FleetPart(), "all"),
        (FleetPart(under=["OU=Hosts"]), "all"),
        (FleetPart(under=["ou=kiosks,ou=hosts,DC=lowmere,DC=example"]), "kiosks"),
        (FleetPart(under=["OU=Kiosks"]), "none"),
        (FleetPart(under=["OU=Kiosks,OU=Hosts"], named=["NAV*"]), "all"),
        (FleetPart(named=["*-1"], excepted=["nav-*"]), "kiosks"),
        (FleetPart(system=["*linux*"]), "other"),
        (FleetPart(under=["OU=Kiosks,OU=Hosts"], system=["*linux*"]), "none"),
    ],
)
def test_a_part_of_the_fleet_is_said_by_place_name_and_system(part: FleetPart, taken: str) -> None:
    """OUs and names add up, a system narrows, an exception is one whatever else says; the base may be left off."""
    kiosk = replace(KIOSK, dn="CN=KIOSK-1,OU=Kiosks,OU=Hosts,DC=lowmere,DC=example")
    other = replace(
        KIOSK, name="NAV-1", dn="CN=NAV-1,OU=Hosts,DC=lowmere,DC=example", details='{"operating_system":"Linux"}'
    )
    found = tuple(part.takes(host) for host in (kiosk, other))
    assert (
        found == {"all": (True, True), "kiosks": (True, False), "other": (False, True), "none": (False, False)}[taken]
    )


@given(st.integers(1, 600), st.integers(1, 40))
def test_hosts_are_begun_with_at_the_rate_that_was_said(per_minute: int, hosts: int) -> None:
    """The first at once, each other one its part of a minute later, however long the waits are cut."""
    passed = [0.0]

    def wait(seconds: float) -> None:
        assert 0 < seconds <= 0.5
        passed[0] += seconds

    pace = Pace(1, per_minute, lambda: passed[0], wait)
    for turn in range(hosts):
        pace.turn()
        assert passed[0] == pytest.approx(turn * 60 / per_minute)


def test_nobody_waits_for_a_turn_that_is_not_wanted_any_more() -> None:
    """Once nothing more is to be begun, the wait ends."""
    pace = Pace(1, 1, lambda: 0.0, lambda _seconds: pytest.fail("it waits"))
    pace.turn()
    pace.turn(lambda: True)
