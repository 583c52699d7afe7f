"""Logons that are asked for by whose they are, or by the host, are those that going through all of them finds."""

from datetime import timedelta

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.trail.event import NOBODY, Event, Verb, microseconds_of
from adzeguard.store.trail import LogonsAsked, Trail, trail_row
from tests.estates import DOMAIN, NOON
from tests.store.conftest import New

SIDS = [f"{DOMAIN.sid}-{number}" for number in range(1200, 1204)]
VERBS: list[Verb] = ["logon", "logon", "logon", "refused", "added", "changed"]


@st.composite
def logs(draw: st.DrawFn) -> list[Event]:
    """Events of an hour, some of them logons, of some with a SID and of others with a name alone."""
    return [
        Event(
            NOON - timedelta(minutes=minute),
            draw(st.sampled_from(VERBS)),
            group=draw(st.sampled_from(["", "QUAY-01", "quay-01$", "KIOSK-07"])),
            member=rf"LOWMERE\p{minute}",
            member_sid=draw(st.sampled_from(["", NOBODY, *SIDS])),
            way=draw(st.sampled_from(["", "console", "network", "service"])),
        )
        for minute in range(draw(st.integers(0, 60)), 0, -1)
    ]


@given(
    log=logs(),
    wanted=st.sets(st.sampled_from(SIDS)),
    ago=st.integers(0, 70),
    ways=st.sets(st.sampled_from(["console", "service"])),
)
def test_what_is_asked_for_is_what_going_through_all_finds(
    new_store: New, log: list[Event], wanted: set[str], ago: int, ways: set[str]
) -> None:
    """By SID, with all that have none; by host, in any spelling; by kind and time; and whether there are any at all."""
    database = new_store()
    trail = Trail(database)
    trail.add([trail_row(f"{number}", event) for number, event in enumerate(log)], [], "log")
    since, until = NOON - timedelta(minutes=ago), NOON - timedelta(minutes=2)
    tries = [one for one in log if one.verb in ("logon", "refused")]
    expected = [one for one in tries if one.at >= since and one.member_sid in {"", NOBODY, *wanted}]
    assert trail.logons(wanted, since) == expected
    asked = LogonsAsked(ways, since, until)
    at_hosts = [
        one
        for one in log
        if one.verb == "logon" and one.group and since <= one.at <= until and (not ways or one.way in ways)
    ]
    told = {(row[0], row[1], row[2], row[3]) for row in trail.logons_of(wanted, asked)}
    assert told == {(e.member, e.member_sid, e.group, e.way) for e in at_hosts if e.member_sid in wanted}
    without = {row[0] for row in trail.logons_of(["", *wanted], asked)} - {row[0] for row in told}
    assert without == {e.member for e in at_hosts if e.member_sid in ("", NOBODY)}
    there = {row[0] for row in trail.logons_at("Quay-01", asked)}
    assert there == {e.member for e in at_hosts if e.group.casefold().removesuffix("$") == "quay-01"}
    assert trail.has(["logon", "refused"]) == bool(tries)
    assert trail.has(["created", "changed", "moved", "deleted"]) == any(one.verb == "changed" for one in log)
    assert {name for name, _ in trail.members_changed()} == {one.member for one in log if one.verb == "added"}
    assert trail.times().tolist() == [microseconds_of(one.at) for one in log]
