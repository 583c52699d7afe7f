"""Hosts that are admitted are open; what stood before a rule is its own only once it takes it over."""

import json

import pytest

from tests.program import Json, Program

PLACE = "OU=Ticket Kiosks,OU=Hosts"


def may_log_on(program: Program, host: str, person: str) -> bool:
    """Whether the stand-in host lets somebody log on at its console, as it says itself."""
    return bool(
        program("hosts", "standin", "logon", host, person, "--by", "console", "--format", "json").json["allowed"]
    )


def findings(program: Program, check: str) -> list[Json]:
    """What a check finds, once for each thing."""
    return [f for f in program("check", "--each", "--format", "json").json if f["check"] == check]


def test_a_host_that_is_admitted_lets_people_log_on(demo: Program) -> None:
    """What closed it stood there before any rule of ours put anything in; undone, it is closed as before."""
    before = (demo.folder / "hosts/QUAY-01.json").read_bytes()
    assert not may_log_on(demo, "QUAY-01", "mira.holt")
    assert demo("hosts", "admit", "QUAY-01", PLACE, "--yes").code == 0
    assert may_log_on(demo, "QUAY-01", "mira.holt")
    assert "notice" not in demo("show", "QUAY-01", "--format", "json").json.get("settings", {})
    assert findings(demo, "closed-without-rule") == []
    assert demo("undo", "--last", "--yes").code == 0
    assert json.loads(before) == json.loads((demo.folder / "hosts/QUAY-01.json").read_bytes())


def test_a_host_that_is_elsewhere_by_now_is_not_opened(demo: Program) -> None:
    """Moved by somebody else after the proposal: what was meant for its place there is held back, all of it."""
    before = (demo.folder / "hosts/QUAY-01.json").read_bytes()
    assert demo("hosts", "admit", "QUAY-01", PLACE, "--only-propose", "admit.json").code == 3
    directory = demo.folder / "lowmere.ldif"
    text = directory.read_text()
    directory.write_text(text.replace("CN=QUAY-01,OU=Quay,", "CN=QUAY-01,OU=Retired,"))
    assert directory.read_text() != text
    done = demo("enact", "admit.json", "--yes", "--format", "json")
    assert {(row["kind"] == "move", row["status"]) for row in done.json} == {(True, "conflict"), (False, "held-back")}
    assert all("not moved" in row["detail"] for row in done.json if row["kind"] != "move")
    assert json.loads((demo.folder / "hosts/QUAY-01.json").read_bytes()) == json.loads(before)
    assert not may_log_on(demo, "QUAY-01", "mira.holt")


def test_a_keeper_that_a_rule_put_in_stays_when_the_rule_goes(demo: Program) -> None:
    """The host's own administrator and a keeper of the directory, among administrators and elsewhere; others go."""
    charter = demo.folder / "charter/charter.yaml"
    people = "['local\\administrator', 'LOWMERE\\Domain Admins', 'LOWMERE\\orla.fenn']"
    rules = "".join(
        f"- {{id: in-{group}, response: mend, hosts: {{named: CONSOLE-03}}, local-group: {group}, include: {people}}}\n"
        for group in ("administrators", "remote-desktop-users")
    )
    file = demo.folder / "hosts/CONSOLE-03.json"
    content = json.loads(file.read_text())
    own = next(one["sid"] for one in content["accounts"] if one["sid"].endswith("-500"))
    for group in content["local_groups"]:
        group["members"] = [sid for sid in group["members"] if sid != own]
    file.write_text(json.dumps(content))
    demo("collect")
    charter.write_text(f"charter: 1\nrules:\n{rules}")
    assert demo("enact", "--yes").code == 0
    orla, admins = (demo("show", name, "--format", "json").json["sid"] for name in ("orla.fenn", "Domain Admins"))

    def members(sid: str) -> set[str]:
        groups = json.loads(file.read_text())["local_groups"]
        return {member for group in groups if group["sid"] == sid for member in group["members"]} & {own, orla, admins}

    assert members("S-1-5-32-544") == members("S-1-5-32-555") == {own, orla, admins}
    charter.write_text("charter: 1\nrules: []\n")
    demo("enact", "--yes")
    assert members("S-1-5-32-544") == members("S-1-5-32-555") == {own, admins}


def test_what_goes_on_closing_an_admitted_host_is_named(demo: Program) -> None:
    """No rule asked for it, here or there: it is left, told with 3, and found by a check until a rule wants it."""
    file = demo.folder / "hosts/QUAY-01.json"
    content = json.loads(file.read_text())
    sid = demo("show", r"LOWMERE\Kiosk Stewards", "--format", "json").json["sid"]
    content["logon"]["refused"]["console"].append(sid)
    file.write_text(json.dumps(content))
    demo("collect")
    done = demo("hosts", "admit", "QUAY-01", PLACE, "--yes")
    assert (done.code, r"refuses LOWMERE\Kiosk Stewards logon by console, and no rule asks" in done.err) == (3, True)
    assert may_log_on(demo, "QUAY-01", "mira.holt")
    assert not may_log_on(demo, "QUAY-01", "roan.pell")
    [found] = findings(demo, "closed-without-rule")
    assert r"refuses LOWMERE\Kiosk Stewards logon by console" in found["message"]


def test_what_stood_before_is_a_rules_own_once_it_takes_it_over(demo: Program) -> None:
    """`charter where` says how much stood before; taken over, it goes with the rule, and otherwise it stays."""
    charter = demo.folder / "charter/charter.yaml"
    rule = (
        "- {id: closed, response: mend, hosts: {under: 'OU=Quay'}, refuse-logon: {console: ['LOWMERE\\Domain Users']},"
        " notice: {title: Not in service yet, text: Move this computer to its own organizational unit first.}}\n"
    )
    charter.write_text(f"charter: 1\nrules:\n{rule}")

    def met() -> list[tuple[int, int]]:
        return [(row["put_in"], row["met"]) for row in demo("charter", "where", "closed", "--format", "json").json]

    assert demo("enact", "--yes").code == 0
    assert sorted(met()) == [(0, 2), (0, 2)]
    charter.write_text("charter: 1\nrules: []\n")
    assert demo("propose", "--format", "json").json["changes"] == []
    charter.write_text(f"charter: 1\nrules:\n{rule}")
    file = demo.folder / "taken.json"
    assert demo("propose", "--take-over", "closed", "--output", file).code == 3
    hosts = {path.name: path.read_bytes() for path in (demo.folder / "hosts").iterdir()}
    assert demo("enact", file, "--yes").code == 0
    assert {path.name: path.read_bytes() for path in (demo.folder / "hosts").iterdir()} == hosts
    assert sorted(met()) == [(2, 0), (2, 0)]
    assert "it stood before the rule took it over" in " ".join(demo("undo", "--last", "--format", "json").out.split())
    charter.write_text("charter: 1\nrules: []\n")
    assert demo("enact", "--yes").code == 0
    assert may_log_on(demo, "QUAY-01", "mira.holt")


def test_nothing_to_change_is_said_where_nothing_deviates(demo: Program) -> None:
    """What is only told, not read or not followed is counted and named, with what goes on; a part hears of its own."""
    charter = demo.folder / "charter/charter.yaml"
    demo("enact", "--yes")
    told = demo("propose")
    assert told.code == 3
    assert "Nothing is changed by itself" in told.out
    assert "--also " in told.out
    assert "2 hosts were not read" in told.out
    assert demo("propose", "--on", "KIOSK-0*").out == "Nothing to change: what stands is what is wanted.\n"
    text = charter.read_text()
    charter.write_text(text.replace(r"LOWMERE\Kiosk Stewards", r"LOWMERE\Kiosk Stewardz", 1))
    stopped = demo("propose", "--on", "KIOSK-0*", "--format", "json")
    assert (stopped.code, [one["subject"] for one in stopped.json["left_out"]]) == (3, ["rule kiosk-administrators"])
    assert "Kiosk Stewardz" not in demo("propose", "--group", "Timetable Editors").out


@pytest.mark.parametrize(
    ("command", "said"),
    [
        (
            ("group", "add", "--on", "KIOSK-03", "administrators", "mira.holt"),
            "takes LOWMERE\\mira.holt out again: give it for",
        ),
        (
            ("group", "remove", "--on", "KIOSK-03", "administrators", r"LOWMERE\Kiosk Stewards"),
            "puts LOWMERE\\Kiosk Stewards in again",
        ),
        (("group", "add", "Chart Editors", "roan.pell"), ""),
    ],
)
def test_what_a_rule_undoes_again_is_said_before_it_is_made(demo: Program, command: tuple[str, ...], said: str) -> None:
    """By hand, against a rule that mends: with the rule and what to do instead."""
    file = demo.folder / "p.json"
    made = demo(*command, "--only-propose", file)
    assert made.code == 3, made.err
    notes = json.loads(file.read_text())["notes"]
    assert any(said in note for note in notes) if said else notes == []
    demo("lease", "start", "mira.holt", "administrators", "--on", "KIOSK-04", "--for", "1h", "--yes")
    assert "out again" not in demo("lease", "list").out
