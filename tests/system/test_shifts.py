"""Shifts through the program: noted, begun and ended by rounds, shown as a week."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from tests.program import Program
from tests.store_rows import write_as_told

WORK = ("shift", "start", "roan.pell", r"LOWMERE\Chart Editors", "--zone", "UTC")


@pytest.fixture
def calm(demo: Program) -> Program:
    """The demo with nothing to mend."""
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    return demo


def inside(program: Program, group: str = "Chart Editors") -> bool:
    """Tell whether roan.pell is in the group."""
    return "roan.pell" in {m["name"] for m in program("who", group, "--format", "json").json}


def around_now() -> tuple[str, str, str, str]:
    """Options of a shift that is worked now and ends in some hours."""
    now = datetime.now(UTC)
    # Of this very day, also in its first hour: what would have begun yesterday was not noted then.
    begun = max(now - timedelta(hours=1), now.replace(hour=0, minute=0))
    return "--from", f"{begun:%H:%M}", "--to", f"{now + timedelta(hours=3):%H:%M}"


def test_a_round_begins_what_is_worked_now_and_a_round_ends_it(calm: Program) -> None:
    """As a lease until its end; ended for good, the next round takes it away, and nothing begins it again."""
    assert calm(*WORK, *around_now(), "--why", "day crew").code == 0
    assert not inside(calm)
    first = calm("round", "--format", "json").json
    assert (first["leases_begun"], first["leases_ended"]) == (["L1"], [])
    assert inside(calm)
    [lease] = calm("lease", "list", "--format", "json").json
    assert (lease["why"], 2 * 3600 < lease["left_seconds"] <= 3 * 3600) == ("shift S1: day crew", True)
    assert calm("round", "--format", "json").json["leases_begun"] == []
    assert calm("shift", "end", "S1").code == 0
    last = calm("round", "--format", "json").json
    assert (last["leases_ended"], last["leases_begun"]) == (["L1"], [])
    assert not inside(calm)
    assert calm("shift", "list", "--format", "json").json == []
    assert "did you mean" in calm("shift", "end", "S11").err or calm("shift", "end", "S11").code == 2


def test_a_charter_that_cannot_be_read_ends_no_round(calm: Program) -> None:
    """What mends and asks needs it, and says so with a 4; what is over ends, and what is worked now begins."""
    assert calm(*WORK, *around_now(), "--why", "on call").code == 0
    assert calm("lease", "start", "orla.fenn", "First Aiders", "--for", "1h", "--why", "drill", "--yes").code == 0
    (calm.folder / "charter/broken.yaml").write_text("charter: 1\nrules: [}\n")
    calm.ahead = timedelta(hours=2)
    made = calm("round", "--format", "json")
    assert made.code == 4, made.err
    assert (made.json["leases_ended"], made.json["leases_begun"], made.json["mended"]) == (["L1"], ["L2"], 0)
    assert len(made.json["refusals"]) == 2
    assert all("broken.yaml" in line for line in made.json["refusals"])


def test_a_lease_of_a_shift_that_somebody_ended_is_not_given_again(calm: Program) -> None:
    """Whoever ends it by hand means it, until the next stretch."""
    assert calm(*WORK, *around_now()).code == 0
    calm("round")
    assert calm("lease", "end", "L1", "--yes").code == 0
    assert calm("round", "--format", "json").json["leases_begun"] == []
    assert not inside(calm)


@pytest.mark.parametrize("rule", ["FREQ=DAILY;INTERVAL=0", "FREQ=DAILY;INTERVAL=-1", "FREQ=DAILY;EXRULE=FREQ"])
def test_a_shift_that_cannot_be_reckoned_holds_nothing_up(calm: Program, rule: str) -> None:
    """As an older release took it: `shift list` and each round say so, the other shift begins; a new one is refused."""
    assert calm(*WORK, *around_now()).code == 0
    assert calm("shift", "start", "orla.fenn", r"LOWMERE\Chart Editors", "--zone", "UTC", *around_now()).code == 0
    write_as_told(calm, "UPDATE shift SET rule = ? WHERE id = 'S2'", (rule,))
    done = calm("round", "--format", "json")
    assert (done.code, done.json["leases_begun"]) == (4, ["L1"]), done.out
    [said] = done.json["not_made"]
    assert said.startswith("shift S2 is worked by nobody: ")
    assert rule in said
    assert inside(calm)
    assert "Nobody works it: " in calm("shift", "list").out
    assert [bool(row["unusable"]) for row in calm("shift", "list", "--format", "json").json] == [False, True]
    assert calm("round", "watch", "--rounds", "1").code in (0, 4)
    assert calm("shift", "end", "S2").code == 0
    assert calm("round", "--format", "json").json["not_made"] == []
    refused = calm(*WORK, *around_now(), "--rule", rule)
    assert (refused.code, "no rule of recurrence" in refused.err) == (2, True)


def test_on_a_day_off_nothing_begins(calm: Program) -> None:
    """The days of an iCalendar file, whole ones and those with times, from their first to their last."""
    zone = ZoneInfo("UTC")
    today = datetime.now(zone).date()
    text = (
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//lowmere//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTAMP:20260101T000000Z\r\n"
        f"DTSTART;VALUE=DATE:{today - timedelta(days=1):%Y%m%d}\r\n"
        f"DTEND;VALUE=DATE:{today + timedelta(days=2):%Y%m%d}\r\n"
        "SUMMARY:Harbour feast\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
    )
    (calm.folder / "feast.ics").write_text(text)
    assert calm(*WORK, "--from", "00:00", "--to", "23:59", "--except", "feast.ics").code == 0
    assert calm("round", "--format", "json").json["leases_begun"] == []
    [one] = calm("shift", "list", "--format", "json").json
    days = {datetime.fromisoformat(c["begins_at"]).date() for c in one["coming"]}
    assert not days & {today, today + timedelta(days=1)}
    assert today + timedelta(days=2) in days
    (calm.folder / "none.ics").write_text("no calendar")
    wrong = calm(*WORK, "--from", "00:00", "--to", "23:59", "--except", "none.ics")
    assert (wrong.code, "is no iCalendar file" in wrong.err) == (2, True)


def test_a_shift_on_a_host_and_what_is_wrong_with_one(calm: Program) -> None:
    """In a local group by the name that every host knows; each mistake in one line."""
    host = ("shift", "start", "roan.pell", "administrators", "--on", "KIOSK-07")
    assert calm(*host, *around_now()).code == 0
    calm("round")
    assert "roan.pell" in {m["name"] for m in calm("who", "--on", "KIOSK-07", "--format", "json").json}
    picture = calm("shift", "list").out
    assert r"LOWMERE\roan.pell in KIOSK-07\administrators" in picture
    assert "█" in picture
    for options, said in [
        (("--from", "8", "--to", "9:00"), "is no time"),
        (("--from", "08:00", "--to", "09:00", "--zone", "Europe/Atlantis"), "is no time zone"),
        (("--from", "08:00", "--to", "09:00", "--rule", "FREQ=MINUTELY"), "more often than by the day"),
        (("--from", "08:00", "--to", "09:00", "--first", "soon"), "is no day"),
    ]:
        ran = calm(*WORK[:4], *options)
        assert (ran.code, said in ran.err) == (2, True), ran.err
    assert [row["id"] for row in calm("shift", "list", "--format", "json").json] == ["S1"]
