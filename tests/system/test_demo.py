"""The whole example through the built program: looking, checking, putting right, looking again."""

import csv
import io
import json
import shutil
import stat
import subprocess
from pathlib import Path

import pytest

from tests.program import Program

ADMINS = r"LOWMERE\Domain Admins"


def test_the_demo_tells_its_story_and_ends_well(tmp_path_factory: pytest.TempPathFactory) -> None:
    """One command makes the workspace, walks through every step, and ends with commands that can be pasted."""
    program = Program(tmp_path_factory.mktemp("walk"))
    program.environment["PATH"] = "/usr/bin:/bin"
    told = program("demo")

    assert told.code == 0, told.err
    assert "11 changes" in told.out
    assert "Nothing is changed by itself." in told.out
    assert "rows stand as they were written" in told.out
    assert "LOWMERE\\Night Watch, which leads in" in " ".join(told.out.split())
    pasted = told.out.partition("Now try it yourself:\n")[2].splitlines()
    script = "\n".join(f"{line} || [ $? -eq 3 ] || exit 9" for line in pasted)
    done = subprocess.run(
        ["bash", "-c", script],
        cwd=program.folder,
        env=program.environment,
        capture_output=True,
        text=True,
        check=False,
    )
    assert (done.returncode, len(pasted) > 6) == (0, True), done.stderr
    assert program("demo").code == 2  # the folder is not empty any more


@pytest.mark.parametrize(
    ("check", "subject", "member"),
    [
        ("unlisted-member", ADMINS, r"LOWMERE\cato.lune"),
        ("unlisted-reach", ADMINS, r"LOWMERE\orla.fenn"),
        ("unlisted-member", ADMINS, r"LOWMERE\mira.holt.adm"),
        ("primary-group-member", ADMINS, r"LOWMERE\mira.holt.adm"),
        ("deep-member", ADMINS, r"LOWMERE\orla.fenn"),
        ("disabled-member", r"LOWMERE\Enterprise Admins", r"LOWMERE\edric.sool.adm"),
        ("unlisted-member", r"LOWMERE\Break Glass", r"LOWMERE\glass.one"),
        ("unlisted-member", r"KIOSK-07\administrators", r"LOWMERE\pontus.reil"),
        ("unlisted-member", r"KIOSK-07\administrators", r"KIOSK-07\fitter"),
        ("dangling-member", r"KIOSK-12\administrators", "S-1-5-21-2874019363-1145201871-3300671429-9417"),
        ("name-twin", r"KIOSK-15\Kiosk Stewards", r"LOWMERE\Kiosk Stewards"),
        ("keeper-missing", r"KIOSK-19\administrators", ""),
        ("distribution-group", r"KIOSK-20\administrators", r"LOWMERE\Kiosk Fitters"),
        ("host-unread", "KIOSK-22", ""),
        ("host-unread", "LAPTOP-05", ""),
        ("excluded-member", r"CONSOLE-03\administrators", r"LOWMERE\Domain Users"),
        ("missing-member", r"CONSOLE-11\administrators", r"LOWMERE\Console Wardens"),
        ("host-excepted", "CONSOLE-09", ""),
        ("wide-administrators", r"LOWMERE\Domain Users", ""),
    ],
)
def test_every_planted_fault_is_found(all_findings: list[dict], check: str, subject: str, member: str) -> None:
    """What is planted in privileged groups and on hosts is found, with its evidence, and exactly once."""
    found = [f for f in all_findings if (f["check"], f["subject"], f["member"] or "") == (check, subject, member)]

    assert len(found) == 1
    assert found[0]["evidence"] or check == "membership-ring"


@pytest.fixture(scope="module")
def all_findings(demo_as_made: Path, tmp_path_factory: pytest.TempPathFactory) -> list[dict]:
    """The findings on the demo as it was made."""
    folder = Path(shutil.copytree(demo_as_made, tmp_path_factory.mktemp("findings") / "lowmere"))
    found = Program(folder)("check", "--format", "json")
    assert found.code == 3
    assert len({f["fingerprint"] for f in found.json}) == len(found.json)
    return found.json


def test_who_and_why_show_the_way_to_the_last_member(demo: Program) -> None:
    """Nested, primary and direct members come with their path; where nothing leads, it is said plainly."""
    members = {m["name"]: m for m in demo("who", ADMINS, "--format", "json").json}

    assert members["orla.fenn"]["path"] == [
        ADMINS,
        r"LOWMERE\Directory Stewards",
        r"LOWMERE\Night Watch",
        r"LOWMERE\orla.fenn",
    ]
    assert (members["mira.holt.adm"]["how"], members["mira.holt.adm"]["direct"]) == ("primary group", True)
    assert set(members["cato.lune"]) == {"name", "qualified_name", "sid", "kind", "enabled", "direct", "how", "path"}
    assert demo("why", "orla.fenn", "--in", ADMINS, "--format", "json").json["chain"][-1]["how"] == "member"
    ring = {m["name"] for m in demo("who", "North Quay Rota", "--format", "json").json}
    assert {"North Quay Rota", "South Quay Rota", "orla.fenn", "mira.holt"} <= ring
    on_host = {m["qualified_name"]: m["path"] for m in demo("who", "--on", "kiosk-07", "--format", "json").json}
    assert on_host[r"KIOSK-07\fitter"] == [r"KIOSK-07\administrators", r"KIOSK-07\fitter"]
    assert on_host[r"LOWMERE\signe.quist"][1] == r"LOWMERE\Kiosk Stewards"
    nowhere = demo("why", "yorick.tarn", "--on", "KIOSK-07")
    assert (nowhere.code, "Nothing leads there" in nowhere.out) == (3, True)
    hosts = {m["name"]: m["hosts"] for m in demo("who", "--hosts", "--format", "json").json}
    assert (hosts["isolde.varn.adm"], hosts["pontus.reil"]) == (61, 3)  # a kiosk, and two consoles through Domain Users


@pytest.mark.parametrize("line", [("who", "--on", "CONSOLE-03"), ("doors", "orla.fenn"), ("check",)])
def test_the_same_question_gives_the_same_bytes(demo: Program, line: tuple[str, ...]) -> None:
    """Whatever order a run keeps sets in: of two ways of one length the same is told each time."""
    answers = set()
    for seed in ("1", "2", "3"):
        demo.environment["PYTHONHASHSEED"] = seed
        answers.add(demo.as_process(*line, "--format", "json").out)
    assert len(answers) == 1


def test_what_a_host_refuses_is_told_in_one_order(demo: Program) -> None:
    """Five people are refused at a kiosk by nobody's rule: each run tells them in the order of the one before."""
    names = ("orla.fenn", "mira.holt", "dessa.calder", "signe.quist", "yorick.tarn")
    five = [demo("show", name, "--format", "json").json["sid"] for name in names]
    path = demo.folder / "hosts/KIOSK-24.json"
    kiosk = json.loads(path.read_text())
    path.write_text(json.dumps({**kiosk, "logon": {"refused": {"batch": five, "console": five, "remote": five}}}))
    assert demo("collect").code == 4
    answers = set()
    for seed in ("1", "2", "3"):
        demo.environment["PYTHONHASHSEED"] = seed
        answers.add(demo.as_process("check", "--format", "json").out)
    assert len(answers) == 1
    assert str(answers).count("and no rule asks for that") >= 15


def test_propose_and_enact_put_right_what_says_mend_and_nothing_else(demo: Program) -> None:
    """The proposal is a file; enacted, each change is verified; nothing is left, and what only tells still stands."""
    proposed = demo("propose", "--output", "p.json")
    proposal = json.loads((demo.folder / "p.json").read_text())

    assert proposed.code == 3
    assert stat.S_IMODE((demo.folder / "p.json").stat().st_mode) == 0o600
    assert {c["rule"] for c in proposal["changes"]} == {"two-administrators", "kiosk-administrators"}
    lost = {p["person"]: p["loses_hosts"] for p in proposal["impact"]["people"] if p["loses_hosts"]}
    assert lost == {
        r"LOWMERE\cato.lune": 59,
        r"LOWMERE\mira.holt.adm": 59,
        r"LOWMERE\orla.fenn": 59,
        r"LOWMERE\pontus.reil": 1,
    }
    waiting = demo("enact", "p.json")
    assert (waiting.code, "Give --yes" in waiting.err) == (2, True)
    done = demo("enact", "p.json", "--yes", "--format", "json")
    assert (done.code, {o["status"] for o in done.json}, len(done.json)) == (0, {"verified"}, 11)
    again = demo("propose")
    assert (again.code, again.out.startswith("Nothing is changed by itself.")) == (3, True)
    assert "Changed since the last time: 0 objects, 0 groups, 0 hosts." in demo("collect").out
    left = demo("check", "--format", "json").json
    assert not [f for f in left if f["response"] == "mend"]
    assert {f["rule"] for f in left if f["response"] == "tell"} >= {"break-glass-stays-empty", "console-wardens"}
    assert demo("enact", "p.json", "--yes", "--format", "json").code == 1  # everything is a conflict by now
    also = demo("enact", "--also", "break-glass-stays-empty", "--yes", "--format", "json", "--removals", "1")
    assert [(o["member"], o["status"]) for o in also.json] == [(r"LOWMERE\glass.one", "verified")]
    assert demo("journal", "verify").code == 0
    journal = demo("journal", "--format", "json", "--limit", "500").json
    assert [r["kind"] for r in journal if r["kind"] != "kept"][:3] == ["begin", "intent", "outcome"]
    assert sum(r["kind"] == "outcome" and r["body"]["status"] == "verified" for r in journal) == 12


def test_what_changed_meanwhile_is_a_conflict_and_what_is_off_stays_pending(demo: Program) -> None:
    """A value that is not as the proposal expected is left alone; a host that is off is told; the rest is done."""
    demo("propose", "--output", "p.json")
    ldif = demo.folder / "lowmere.ldif"
    text = ldif.read_text()
    at = text.index("\nsAMAccountName: Domain Admins\n")
    before, entry = text[:at], text[at:]
    ldif.write_text(
        before + entry.replace("member: CN=Cato Lune,OU=Booking Office,OU=People,DC=lowmere,DC=example\n", "", 1)
    )
    kiosk = demo.folder / "hosts/KIOSK-19.json"
    kiosk.write_text(kiosk.read_text().replace('"offline": false', '"offline": true'))
    refusing = demo.folder / "hosts/KIOSK-12.json"
    refusing.write_text(refusing.read_text().replace('"refuses": false', '"refuses": true'))
    done = demo("enact", "p.json", "--yes", "--format", "json")
    status = {(o["target"], o["member"]): o["status"] for o in done.json}

    assert done.code == 4
    assert status["directory", r"LOWMERE\cato.lune"] == "conflict"
    assert status["KIOSK-19", ADMINS] == "unreachable"
    assert next(s for (target, _), s in status.items() if target == "KIOSK-12") == "refused"
    assert [o["status"] for o in done.json].count("verified") == 8
    kiosk.write_text(kiosk.read_text().replace('"offline": true', '"offline": false'))
    assert {(o["target"], o["status"]) for o in demo("enact", "--yes", "--format", "json").json} >= {
        ("KIOSK-19", "verified")
    }


def test_a_removal_waits_for_the_addition_that_it_relies_on(demo: Program) -> None:
    """Where the new administrators could not be put in, the old ones are not taken out of that host."""
    host = demo.folder / "hosts/KIOSK-07.json"
    content = json.loads(host.read_text())
    admins = next(g for g in content["local_groups"] if g["sid"] == "S-1-5-32-544")
    admins["members"] = [m for m in admins["members"] if not m.endswith("-512")]
    host.write_text(json.dumps(content))
    demo("collect")
    demo("propose", "--output", "p.json")
    content["behaviour"]["refuses_changes"] = ["add-local-member"]
    host.write_text(json.dumps(content))
    status = {(o["target"], o["kind"]): o["status"] for o in demo("enact", "p.json", "--yes", "--format", "json").json}

    assert status["KIOSK-07", "add-local-member"] == "refused"
    assert status["KIOSK-07", "remove-local-member"] == "held-back"


def test_a_proposal_without_keepers_is_refused_and_names_the_rule(demo: Program) -> None:
    """Neither proposal nor enactment goes past the lockout guard; the way out is in the message."""
    charter = demo.folder / "charter/charter.yaml"
    rules = charter.read_text().replace(
        r"only: [LOWMERE\isolde.varn.adm, LOWMERE\tobin.asker.adm, LOWMERE\Administrator]", "only: []", 1
    )
    charter.write_text(rules)
    ldif = demo.folder / "lowmere.ldif"
    text = ldif.read_text()
    at = text.index("\nsAMAccountName: Administrator\n")
    ldif.write_text(text[:at] + text[at:].replace("userAccountControl: 512", "userAccountControl: 514", 1))
    demo("collect")
    proposed = demo("propose")

    assert proposed.code == 1
    assert r"LOWMERE\Domain Admins would be left without a keeper" in proposed.err
    assert "Mend the rule two-administrators (charter/charter.yaml:4)" in proposed.err
    assert demo("enact", "--yes").code == 1
    assert demo("journal", "--format", "json").json == []


def test_listings_are_safe_and_documented_in_every_format(demo: Program) -> None:
    """CSV has the keys of JSON and no cell that runs as a formula; tables fit 100 columns and carry no colour codes."""
    ldif = demo.folder / "lowmere.ldif"
    hostile = "=cmd|calc!A1"
    ldif.write_text(ldif.read_text().replace("sAMAccountName: pontus.reil", f"sAMAccountName: {hostile}"))
    demo("collect")
    found = demo("find", "cmd|calc", "--format", "csv")
    rows = list(csv.DictReader(io.StringIO(found.out)))

    assert [row["name"] for row in rows] == ["'" + hostile]
    assert set(rows[0]) == set(demo("find", "cmd|calc", "--format", "json").json[0])
    for command in (
        ["who", "--hosts"],
        ["check"],
        ["propose"],
        ["show", "KIOSK-15"],
        ["find", "kiosk"],
        ["who", ADMINS],
    ):
        shown = demo(*command).out
        assert max(len(line) for line in shown.splitlines()) <= 100, command
        assert "\x1b" not in shown
    assert demo("who", "--hosts", "--output", "who.csv", "--format", "csv").out == ""
    assert stat.S_IMODE((demo.folder / "who.csv").stat().st_mode) == 0o600


def test_show_tells_which_rules_hold_on_a_host(demo: Program) -> None:
    """For a host each rule is shown with its scope and whether it decides, is overruled or excepts the host."""
    charter = demo.folder / "charter/nearer.yaml"
    charter.write_text(
        "charter: 1\nrules:\n  - {id: one-kiosk, hosts: {named: KIOSK-15}, local-group: administrators, "
        r"only: [LOWMERE\Domain Admins]}" + "\n"
    )
    rules = {r["rule"]: r["decides"] for r in demo("show", "KIOSK-15", "--format", "json").json["rules"]}

    assert rules == {"one-kiosk": "decides what is told", "kiosk-administrators": "decides what is mended"}
    charter.write_text(charter.read_text().replace("}\n", ", response: mend}\n"))
    rules = {r["rule"]: r["decides"] for r in demo("show", "KIOSK-15", "--format", "json").json["rules"]}
    assert rules == {"one-kiosk": "decides", "kiosk-administrators": "overruled by a closer one"}
    excepted = demo("show", "CONSOLE-09", "--format", "json").json["rules"]
    assert {(r["rule"], r["decides"]) for r in excepted} == {
        ("console-wardens", "excepts this host"),
        ("chart-updater", "adds to it"),
    }
    person = demo("show", "orla.fenn", "--format", "json").json
    assert r"LOWMERE\Night Watch" in person["member_of"]
    assert ADMINS in person["effectively_member_of"]
