"""Memberships that end: begun, extended, ended by hand and by a round, on groups and on hosts."""

import json
import subprocess
import sys
from datetime import UTC, datetime, timedelta

import pytest

from adzeguard.workflows import collect
from tests.program import Json, Program, killed_after

GIVEN = ("lease", "start", "roan.pell", r"LOWMERE\Chart Editors", "--yes")
QUIET = "charter: 1\nrules: []\n"


@pytest.fixture
def calm(demo: Program) -> Program:
    """The demo with nothing to mend."""
    (demo.folder / "charter/charter.yaml").write_text(QUIET)
    return demo


def leases(program: Program, *arguments: str) -> list[Json]:
    """What lease list says."""
    rows: list[Json] = program("lease", "list", *arguments, "--format", "json").json
    return rows


def members(program: Program, group: str) -> set[str]:
    """Who is in a group."""
    return {m["name"] for m in program("who", group, "--format", "json").json}


def soon(seconds: float) -> str:
    """A time in some seconds."""
    return (datetime.now(UTC) + timedelta(seconds=seconds)).isoformat()


def over(program: Program) -> None:
    """Let the clock go on until every open lease is over."""
    end = max(datetime.fromisoformat(row["until_at"]) for row in leases(program))
    program.ahead = end - datetime.now(UTC)


def test_a_lease_gives_a_membership_that_a_round_takes_away(calm: Program) -> None:
    """Listed with who, until when, by whom and why; over, the next round ends it, and a second one finds nothing."""
    assert calm(*GIVEN, "--until", soon(40), "--why", "storm charts").code == 0
    [row] = leases(calm)
    assert (row["member"], row["group"], row["why"], row["state"]) == (
        r"LOWMERE\roan.pell",
        r"LOWMERE\Chart Editors",
        "storm charts",
        "running",
    )
    assert 0 <= row["left_seconds"] <= 40
    assert "roan.pell" in members(calm, "Chart Editors")
    over(calm)
    done = calm("round", "--format", "json")
    assert (done.code, done.json["leases_ended"], done.json["refusals"]) == (0, ["L1"], [])
    assert "roan.pell" not in members(calm, "Chart Editors")
    assert leases(calm) == []
    [ended] = leases(calm, "--all")
    assert (ended["state"], ended["left_seconds"]) == ("ended", 0)
    again = calm("round", "--format", "json").json
    assert (again["leases_ended"], again["mended"]) == ([], 0)
    said = [row["what"] for row in calm("journal", "--format", "json").json if row["kind"] == "intent"]
    assert any("remove" in one and "roan.pell" in one for one in said)


def test_who_is_a_member_gets_no_lease_and_overlapping_ones_end_with_the_last(calm: Program) -> None:
    """A member by other means is no lease's to take away, and one would end nothing; of two the longer decides."""
    refused = calm("lease", "start", "mira.holt", "Chart Editors", "--for", "1h", "--yes")
    assert (refused.code, "already, and for good: a lease would end nothing" in refused.err) == (2, True)
    assert leases(calm) == []
    assert calm(*GIVEN, "--for", "1h").code == 0
    assert calm(*GIVEN, "--for", "2h").code == 0
    assert calm("lease", "end", "L1", "--yes").code == 0
    assert "roan.pell" in members(calm, "Chart Editors")
    assert calm("lease", "end", "l2", "--yes").code == 0
    assert "roan.pell" not in members(calm, "Chart Editors")


def test_what_is_gone_already_has_ended_well(calm: Program) -> None:
    """Taken out behind our back, the lease ends without a change, and that is no failure."""
    assert calm(*GIVEN, "--for", "1h").code == 0
    path = calm.folder / "lowmere.ldif"
    head, group, tail = path.read_text().partition("dn: CN=Chart Editors,")
    member = next(line for line in tail.split("\n") if line.startswith("member: CN=Roan Pell,"))
    path.write_text(head + group + tail.replace(f"{member}\n", "", 1))
    ended = calm("lease", "end", "L1", "--yes")
    assert (ended.code, "L1 has ended." in ended.err) == (0, True)
    assert leases(calm) == []


def test_a_lease_on_a_host_is_in_its_local_group(calm: Program) -> None:
    """By the name that every host knows; ended, the host is as before."""
    path = calm.folder / "hosts/KIOSK-07.json"
    before = path.read_text()
    assert calm("lease", "start", "nils.fenn", "administrators", "--on", "kiosk-07", "--for", "30m", "--yes").code == 0
    [row] = leases(calm)
    assert (row["group"], row["host"]) == (r"KIOSK-07\administrators", "KIOSK-07")
    assert path.read_text() != before
    assert calm("lease", "end", "L1", "--yes").code == 0
    assert json.loads(path.read_text()) == json.loads(before)


def test_a_list_that_does_not_name_it_leaves_it_until_it_ends(demo: Program) -> None:
    """A rule with only is no reason to take a leased member out; after the end it would be."""
    text = "charter: 1\nrules:\n- id: editors\n  response: mend\n  group: LOWMERE\\Chart Editors\n  only: []\n"
    (demo.folder / "charter/charter.yaml").write_text(text)
    assert demo("enact", "--yes", "--removals", "2").code == 0
    assert demo(*GIVEN, "--for", "1h").code == 0
    assert demo("propose", "--format", "json").json["changes"] == []
    assert not [f for f in demo("check", "--format", "json").json if f["rule"] == "editors"]
    text = text.replace("only: []", "exclude: [LOWMERE\\roan.pell]")
    (demo.folder / "charter/charter.yaml").write_text(text)
    assert [c["kind"] for c in demo("propose", "--format", "json").json["changes"]] == ["remove-member"]


def test_a_lease_that_is_over_and_stands_is_told_and_so_is_one_kept_alive(calm: Program) -> None:
    """Extended three times it is told; a refused start leaves no lease behind."""
    assert calm(*GIVEN, "--for", "1h").code == 0
    for _ in range(3):
        assert calm("lease", "extend", "L1", "--for", "2h").code == 0
    found = {f["check"] for f in calm("check", "--format", "json").json}
    assert "lease-kept-alive" in found
    assert calm("lease", "start", "nobody.here", "Chart Editors", "--for", "1h", "--yes").code == 2
    assert calm("lease", "start", "nils.fenn", "Chart Editors", "--for", "1h").code == 2
    assert [row["id"] for row in leases(calm)] == ["L1"]
    for wrong in (("--for", "soon"), ("--until", "2020-01-01"), (), ("--for", "1h", "--until", "2030-01-01")):
        assert calm(*GIVEN, *wrong).code == 2
    assert "did you mean 'L1'" in calm("lease", "end", "L11", "--yes").err


def test_a_start_that_is_killed_forgets_no_end(calm: Program) -> None:
    """Killed at any moment, there is no membership without its lease, and the round after its end takes it away."""
    for seconds in (0.5, 0.8, 1.1, 1.4):
        command = [sys.executable, "-m", "adzeguard", *GIVEN, "--until", soon(60)]
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        running = subprocess.Popen(command, cwd=calm.folder, env=calm.environment, **quiet)
        killed_after(running, seconds)
        calm("enact", "--resume", "--yes")
        calm("collect")
        if "roan.pell" in members(calm, "Chart Editors"):
            assert leases(calm)
            over(calm)
            assert calm("round").code == 0
            assert "roan.pell" not in members(calm, "Chart Editors")
            calm.ahead = timedelta()


def test_a_round_does_what_it_may_and_tells_what_it_may_not(demo: Program) -> None:
    """It mends what mends, takes nobody's last keeper, and leaves what is past a limit with the reason."""
    first = demo("round", "--format", "json")
    assert first.json["mended"] > 5
    assert demo("propose", "--format", "json").json["changes"] == []
    text = "charter: 1\nrules:\n- id: empty\n  response: mend\n  group: LOWMERE\\Booking Office Staff\n  only: []\n"
    (demo.folder / "charter/charter.yaml").write_text(text)
    held = demo("round", "--format", "json")
    assert held.code == 4
    assert held.json["mended"] == 0
    assert len(held.json["refusals"]) == 1
    assert demo("round", "--only-leases").code == 0


def test_a_lease_is_never_given_without_its_end(calm: Program) -> None:
    """A file with the membership alone is not written; a rule that holds the lease can be proposed and approved."""
    refused = calm(*GIVEN, "--for", "1h", "--only-propose", "p.json")
    assert (refused.code, "without its end" in refused.err) == (2, True)
    assert not (calm.folder / "p.json").exists()
    assert leases(calm) == []
    last = (datetime.now(UTC) + timedelta(days=2)).date().isoformat()
    rule = f"{{id: r, group: 'LOWMERE\\Chart Editors', lease: {{'LOWMERE\\roan.pell': {last}}}, response: mend}}"
    (calm.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules: [{rule}]\n")
    assert calm("propose", "--output", "p.json").code == 3
    assert calm("enact", "p.json", "--yes").code == 0
    assert "roan.pell" in members(calm, "Chart Editors")
    [planned] = leases(calm)
    assert (planned["id"], planned["state"], planned["left_seconds"] > 86400) == ("r", "charter", True)
    yesterday = (datetime.now(UTC) - timedelta(days=1)).date().isoformat()
    charter = calm.folder / "charter/charter.yaml"
    charter.write_text(charter.read_text().replace(last, yesterday))
    assert calm("round", "--format", "json").json["mended"] == 1
    assert "roan.pell" not in members(calm, "Chart Editors")


def contract(program: Program, value: str) -> None:
    """Write into an account's entry when the contract of its person ends."""
    path = program.folder / "lowmere.ldif"
    lines = [line for line in path.read_text().split("\n") if not line.startswith("employeeType:")]
    at = lines.index("sAMAccountName: roan.pell")
    path.write_text("\n".join([*lines[:at], f"employeeType: {value}", *lines[at:]]))


def test_a_lease_ends_with_the_contract_wherever_that_is_moved(calm: Program) -> None:
    """From the attribute that is named, and each round follows it; what is no date is told, and changes nothing."""
    asked = (*GIVEN, "--with-contract")
    nothing = calm(*asked)
    assert (nothing.code, "accountExpires of LOWMERE\\roan.pell says no end of a contract" in nothing.err) == (2, True)
    with (calm.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[leases]\ncontract_attribute = "employeeType"\n')
    contract(calm, "20991231")
    assert calm(*asked, "--for", "1h").code == 2
    assert calm(*asked).code == 0
    [row] = leases(calm)
    assert row["contract"] is True
    assert datetime.fromisoformat(row["until_at"]).astimezone().date().isoformat() == "2100-01-01"
    assert "with the contract" in " ".join(calm("lease", "list").out.split())

    contract(calm, "20980630120000.0Z")
    assert calm("round", "--format", "json").json["leases_ended"] == []
    assert leases(calm)[0]["until_at"].startswith("2098-06-30T12:00:00")
    assert leases(calm)[0]["extended"] == 0
    contract(calm, "when the ice is gone")
    unclear = calm("round", "--format", "json")
    assert (unclear.code, "is no date" in "".join(unclear.json["not_made"])) == (4, True)
    assert leases(calm)[0]["until_at"].startswith("2098-06-30T12:00:00")
    contract(calm, "2020-01-31")
    assert calm("round", "--format", "json").json["leases_ended"] == ["L1"]
    assert "roan.pell" not in members(calm, "Chart Editors")


def test_no_lease_is_longer_than_the_workspace_lets(demo: Program) -> None:
    """Neither given nor extended: an hour that somebody approved does not become years."""
    start = ("lease", "start", "orla.fenn", "First Aiders", "--why", "drill", "--yes")
    refused = demo(*start, "--for", "400d")
    assert (refused.code, "no lease is for longer than 366 days" in refused.err) == (2, True), refused.err
    assert demo(*start, "--for", "1h").code == 0
    until = (datetime.now(UTC) + timedelta(days=3000)).date().isoformat()
    assert demo("lease", "extend", "L1", "--until", until).err.count("no lease is for longer than 366 days")
    settings = demo.folder / "adzeguard.toml"
    settings.write_text(settings.read_text() + "\n[leases]\nlongest_days = 1\n")
    assert "longer than 1 day" in demo("lease", "extend", "L1", "--for", "2d").err
    assert demo("lease", "extend", "L1", "--for", "5h").code == 0


def test_no_lease_is_a_keeper_in_the_directory_or_on_a_host(calm: Program) -> None:
    """The last who is inside for good stays while others are there for a time alone: who would end their leases?"""
    keeper = "isolde.varn.adm"
    lasting = sorted(members(calm, "Enterprise Admins"))
    leave = {
        "directory": ("group", "remove", "Enterprise Admins", *lasting, "--yes", "--removals", "2"),
        "host": ("group", "remove", "--on", "QUAY-01", "administrators", "Domain Admins", "--yes"),
    }
    assert calm("lease", "start", keeper, "Enterprise Admins", "--for", "1h", "--yes").code == 0
    assert calm("lease", "start", keeper, "administrators", "--on", "QUAY-01", "--for", "1h", "--yes").code == 0
    for removal in leave.values():
        refused = calm(*removal)
        assert (refused.code, "would be left without a keeper" in refused.err) == (1, True)
    assert calm("lease", "end", "L1", "--yes").code == calm("lease", "end", "L2", "--yes").code == 0
    assert calm("group", "add", "Enterprise Admins", keeper, "--yes").code == 0
    assert calm("group", "add", "--on", "QUAY-01", "administrators", keeper, "--yes").code == 0
    for removal in leave.values():
        assert calm(*removal).code == 0


def test_what_is_given_by_hand_after_a_lease_was_taken_out_outlives_it(calm: Program) -> None:
    """Taken out by hand or by somebody else, the lease has ended there and then: its end takes nothing away later."""
    assert calm(*GIVEN, "--for", "1h").code == 0
    assert calm("group", "remove", "Chart Editors", "roan.pell", "--yes").code == 0
    assert leases(calm) == []
    assert calm("group", "add", "Chart Editors", "roan.pell", "--yes").code == 0
    assert calm("lease", "start", "hedda.morrow", "Chart Editors", "--for", "1h", "--yes").code == 0
    file = calm.folder / "lowmere.ldif"
    with_her = file.read_text()
    [link] = [line for line in with_her.splitlines() if line.startswith("member:") and "Hedda Morrow" in line][-1:]
    at = with_her.index("dn: CN=Chart Editors")
    file.write_text(with_her[:at] + with_her[at:].replace(f"{link}\n", "", 1))
    assert "Ended, since somebody has taken out whom they let in: L2" in calm("collect").err
    file.write_text(with_her)
    calm("collect")
    calm.ahead = timedelta(hours=2)
    assert calm("round", "--format", "json").json["leases_ended"] == []
    assert {"roan.pell", "hedda.morrow"} <= members(calm, "Chart Editors")


def test_the_end_of_a_lease_is_not_undone_into_a_membership_without_one(calm: Program) -> None:
    """Undo says so and leaves it; what else the enactment did is taken back."""
    assert calm(*GIVEN, "--for", "1h").code == 0
    assert calm("lease", "end", "L1", "--yes").code == 0
    undone = calm("undo", "--last", "--yes")
    assert "it ended L1; undone" in undone.out
    assert "roan.pell" not in members(calm, "Chart Editors")


def test_a_lease_that_is_over_says_so_at_once(calm: Program) -> None:
    """Before any round: in the list, and as a finding. One that a wrong clock made far too long is a finding too."""
    assert calm(*GIVEN, "--for", "1h").code == 0
    calm.ahead = timedelta(hours=1, seconds=5)
    assert [row["state"] for row in leases(calm)] == ["over"]

    def checks() -> set[str]:
        return {f["check"] for f in calm("check", "--format", "json").json}

    assert "lease-overdue" in checks()
    calm.ahead = timedelta(days=3650)
    assert calm("lease", "start", "hedda.morrow", "Chart Editors", "--for", "1h", "--yes").code == 0
    calm.ahead = timedelta()
    assert "lease-too-long" in checks()
    assert calm("lease", "extend", "L2", "--for", "1h").code == 0
    assert "lease-too-long" not in checks()


def test_leases_of_the_directory_end_before_any_host_is_read(calm: Program, monkeypatch: pytest.MonkeyPatch) -> None:
    """Hosts that are slow to answer keep nobody inside; what is on a host ends after them."""
    assert calm(*GIVEN, "--for", "1h").code == 0
    assert calm("lease", "start", "roan.pell", "administrators", "--on", "QUAY-01", "--for", "1h", "--yes").code == 0
    over(calm)
    file, seen = calm.folder / "lowmere.ldif", []

    def inside() -> bool:
        group = file.read_text().partition("dn: CN=Chart Editors")[2].partition("\n\n")[0]
        return "Roan Pell" in group

    read = collect.read_hosts

    def looking(*arguments: object, **named: object) -> object:
        seen.append(inside())
        return read(*arguments, **named)  # type: ignore[arg-type]

    assert inside()
    monkeypatch.setattr(collect, "read_hosts", looking)
    done = calm("round", "--format", "json")
    assert (seen, done.code, done.json["leases_ended"]) == ([False], 0, ["L1", "L2"])


def test_a_host_that_is_looked_after_no_more_ends_no_lease(calm: Program) -> None:
    """Nobody saw that the membership is gone: the lease runs on, and ends with its change once the host is back."""
    assert calm("lease", "start", "roan.pell", "administrators", "--on", "QUAY-01", "--for", "1h", "--yes").code == 0
    settings = calm.folder / "adzeguard.toml"
    text = settings.read_text()
    settings.write_text(text.replace("[hosts]", '[hosts]\nnamed = "KIOSK-*"'))
    calm("collect")
    assert [row["id"] for row in leases(calm)] == ["L1"]
    over(calm)
    late = calm("round", "--format", "json")
    assert (late.code, late.json["leases_ended"], late.json["leases_left"]) == (4, [], ["L1"])
    settings.write_text(text)
    assert calm("round", "--format", "json").json["leases_ended"] == ["L1"]
    inside = {m["name"] for m in calm("who", "--on", "QUAY-01", "--format", "json").json if m["direct"]}
    assert "roan.pell" not in inside
