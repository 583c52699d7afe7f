"""Refused logons, limits, notices and elevated programs: proposed, made, seen on the host, withdrawn and taken back."""

import json
from typing import Any

import pytest

from tests.program import Json, Program

DIGEST, OTHER = "9f2c" * 16, "0a1b" * 16
QUAY = r"""
- id: closed-until-moved
  hosts: {under: OU=Quay}
  refuse-logon: {console: LOWMERE\Domain Users, remote: [LOWMERE\Domain Users]}
  notice: {title: Not in service yet, text: Move this computer first.}
"""
FOR_ALL = QUAY.replace("LOWMERE\\Domain Users,", "[LOWMERE\\Domain Users, LOWMERE\\mira.holt.adm],").replace(
    "Users]", "Users, LOWMERE\\mira.holt.adm]"
)
"""Her primary group is Domain Admins, so that she is no member of Domain Users."""
WARDENS = rf"""
- id: chart-updater
  hosts: {{named: [CONSOLE-01, CONSOLE-02, CONSOLE-04]}}
  elevate: {{program: /opt/charts/update, sha256: {DIGEST.upper()}, for: [LOWMERE\Galley Crew]}}
"""


@pytest.fixture
def demo(demo: Program) -> Program:
    """The demo, whose hosts have every capability and nothing set."""
    for path in (demo.folder / "hosts").glob("*.json"):
        content = json.loads(path.read_text())
        for key in ("looks_like", "logon", "notice", "elevated", "programs"):
            content.pop(key, None)
        path.write_text(json.dumps(content, indent=1) + "\n")
    assert demo("collect").code == 4
    return demo


def charter(demo: Program, *rules: str, response: str = "mend") -> None:
    """Write a charter of these rules."""
    text = "charter: 1\nrules:\n" + "".join(rules)
    (demo.folder / "charter/charter.yaml").write_text(text.replace("  hosts:", f"  response: {response}\n  hosts:"))


def host(demo: Program, name: str, **values: Any) -> dict[str, Any]:
    """Return what a host's file says, after setting some of it."""
    path = demo.folder / f"hosts/{name}.json"
    content: dict[str, Any] = json.loads(path.read_text())
    if values:
        content |= values
        path.write_text(json.dumps(content, indent=1) + "\n")
    return content


def enact(demo: Program, *arguments: str) -> list[Json]:
    """Enact all that is to be mended; everything is verified."""
    done = demo("enact", *arguments, "--yes", "--format", "json")
    assert {row["status"] for row in done.json} <= {"verified"}, done.out
    rows: list[Json] = done.json
    return rows


def files(demo: Program) -> dict[str, str]:
    """The files of all hosts."""
    return {path.name: path.read_text() for path in (demo.folder / "hosts").glob("*.json")}


def found(demo: Program, *checks: str) -> list[tuple[str, str]]:
    """The subjects and messages of the findings of these checks."""
    return [(f["subject"], f["message"]) for f in demo("check", "--format", "json").json if f["check"] in checks]


def logon(demo: Program, name: str, person: str, way: str) -> Json:
    """What the host answers to somebody who logs on."""
    ran = demo("hosts", "standin", "logon", name, person, "--by", way, "--format", "json")
    assert ran.code == (0 if ran.json["allowed"] else 3)
    return ran.json


def test_a_holding_ou_refuses_logon_says_why_and_lets_go_when_its_rule_does(demo: Program) -> None:
    """From `enact` on nobody of the directory logs on there; the host's own administrator does; withdrawn, all do."""
    before = files(demo)
    charter(demo, QUAY)
    assert [m for _, m in found(demo, "logon-not-refused", "other-notice") if "console" in m] == [
        r"LOWMERE\Domain Users is not refused logon by console"
    ] * 2
    rows = enact(demo)
    assert {(r["kind"], r["target"]) for r in rows} == {
        (kind, name) for kind in ("refuse-logon", "set-notice") for name in ("QUAY-01", "QUAY-02")
    }
    refused = logon(demo, "QUAY-01", "orla.fenn", "remote")
    assert refused["because"] == r"LOWMERE\Domain Users is refused by remote"
    assert refused["notice"] == {"title": "Not in service yet", "text": "Move this computer first."}
    assert logon(demo, "QUAY-01", r"local\administrator", "console")["allowed"]
    assert logon(demo, "KIOSK-05", "orla.fenn", "remote")["allowed"]
    assert found(demo, "logon-not-refused", "other-notice") == []
    assert demo("propose", "--format", "json").json["changes"] == []
    shown = demo("show", "QUAY-01", "--format", "json").json
    assert shown["logon"]["refused"] == {"console": [r"LOWMERE\Domain Users"], "remote": [r"LOWMERE\Domain Users"]}
    assert [(r["about"], r["decides"]) for r in shown["rules"]] == [
        ("logon by console", "adds to it"),
        ("logon by remote", "adds to it"),
        ("notice", "decides"),
    ]
    closed = files(demo)
    charter(demo, QUAY.replace("  hosts", "  enabled: false\n  hosts"))
    assert {r["kind"] for r in enact(demo)} == {"end-refusal", "set-notice"}
    assert files(demo) == before
    assert demo("undo", "--last", "--yes").code == 0
    assert files(demo) == closed


def test_a_rule_leaves_its_setting_or_not_and_never_takes_what_people_set(demo: Program) -> None:
    """With `leave` a refusal stays; one that a person made is not the rule's; one taken out and made again neither."""
    own = demo("show", "Domain Users", "--format", "json").json["sid"]
    host(demo, "QUAY-01", logon={"refused": {"console": [own]}})
    demo("collect")
    charter(demo, QUAY)
    assert [(r["target"], r["kind"]) for r in enact(demo) if r["kind"] == "refuse-logon"] == [
        ("QUAY-01", "refuse-logon"),
        ("QUAY-02", "refuse-logon"),
        ("QUAY-02", "refuse-logon"),
    ]
    host(demo, "QUAY-02", logon={})
    demo("collect")
    host(demo, "QUAY-02", logon={"refused": {"console": [own]}})
    demo("collect")
    charter(demo)
    assert {(r["target"], r["kind"]) for r in enact(demo)} == {
        ("QUAY-01", "end-refusal"),
        ("QUAY-01", "set-notice"),
        ("QUAY-02", "set-notice"),
    }
    assert host(demo, "QUAY-01")["logon"] == host(demo, "QUAY-02")["logon"] == {"refused": {"console": [own]}}
    charter(demo, QUAY.replace("  hosts", "  leave: true\n  hosts"))
    enact(demo)
    charter(demo)
    assert demo("propose", "--format", "json").json["changes"] == []


def test_only_those_of_the_closest_rule_log_on_and_keepers_always(demo: Program) -> None:
    """The closer list replaces the wider one; two at one distance contradict each other, and nothing is changed."""
    wide = "\n- id: consoles\n  hosts: {under: OU=Hosts}\n  allow-logon-only: {remote: [LOWMERE\\Galley Crew]}\n"
    near = (
        wide.replace("consoles", "near")
        .replace("OU=Hosts", "OU=Bridge Consoles,OU=Hosts")
        .replace("under: O", 'under: "O')
    )
    near = near.replace("OU=Hosts}", 'OU=Hosts"}').replace("Galley Crew", "Console Wardens")
    charter(demo, wide, near)
    rows = enact(demo, "--touching", "60") if demo("enact", "--yes").code == 1 else []
    assert {r["kind"] for r in rows} == {"logon-alone"} or rows == []
    shown = demo("show", "CONSOLE-02", "--format", "json").json
    assert r"LOWMERE\Console Wardens" in shown["logon"]["alone"]["remote"]
    assert {r"LOWMERE\Domain Admins", r"CONSOLE-02\administrator"} <= set(shown["logon"]["alone"]["remote"])
    assert {(r["rule"], r["decides"]) for r in shown["rules"]} == {
        ("consoles", "overruled by a closer one"),
        ("near", "decides"),
    }
    galley = demo("who", "Galley Crew", "--format", "json").json[0]["name"]
    assert logon(demo, "KIOSK-03", galley, "remote")["allowed"]
    assert not logon(demo, "CONSOLE-02", galley, "remote")["allowed"]
    assert logon(demo, "CONSOLE-02", galley, "console")["allowed"]
    assert logon(demo, "CONSOLE-02", "Administrator", "remote")["allowed"]

    before = files(demo)
    charter(demo, wide, wide.replace("consoles", "others").replace("Galley Crew", "Kiosk Stewards"), near)
    assert enact(demo) == []
    assert files(demo) == before
    [message] = {m for _, m in found(demo, "rule-conflict")}
    assert "each lets others alone log on by remote; nothing is changed here" in message


def test_a_program_is_elevated_at_its_digest_and_refused_once_it_changes(demo: Program) -> None:
    """The person runs it elevated, others do not; `check` tells that it was changed before people find out."""
    for name, digest in (("CONSOLE-01", DIGEST), ("CONSOLE-02", OTHER)):
        host(demo, name, programs={"/opt/charts/update": digest})
    galley = demo("who", "Galley Crew", "--format", "json").json[0]["name"]

    def runs(name: str, person: str) -> tuple[bool, bool, str]:
        ran = demo("hosts", "standin", "run", name, person, "/opt/charts/update", "--format", "json")
        assert ran.code == (0 if ran.json["allowed"] else 3)
        return ran.json["allowed"], ran.json["elevated"], ran.json["because"]

    assert runs("CONSOLE-01", galley) == (True, False, "nothing elevates it for them")
    charter(demo, WARDENS)
    assert {(r["kind"], r["target"]) for r in enact(demo)} == {
        ("give-elevation", name) for name in ("CONSOLE-01", "CONSOLE-02", "CONSOLE-04")
    }
    assert runs("CONSOLE-01", galley) == (True, True, "it is elevated for them at 9f2c9f2c9f2c…")
    assert runs("CONSOLE-01", "roan.pell")[:2] == (True, False)
    assert runs("CONSOLE-02", galley) == (
        True,
        False,
        "the program was changed: it is 0a1b0a1b0a1b… and not 9f2c9f2c9f2c…",
    )
    assert runs("CONSOLE-04", galley) == (False, False, "there is no /opt/charts/update")
    assert found(demo, "program-changed") == [
        ("CONSOLE-02", f"/opt/charts/update was changed: its sha256 is {OTHER[:12]}…, and the rule says 9f2c9f2c9f2c…"),
        ("CONSOLE-04", "/opt/charts/update is not there any more"),
    ]
    charter(demo, WARDENS.replace("  hosts", "  until: 2026-01-01\n  hosts"))
    assert {r["kind"] for r in enact(demo)} == {"end-elevation"}
    assert runs("CONSOLE-01", galley)[1] is False


def test_what_a_host_cannot_do_is_said_before_it_is_tried(demo: Program) -> None:
    """In the proposal and in the findings, with the reason; everything else of the rule is done."""
    host(demo, "CONSOLE-01", looks_like="remote-sam")
    host(demo, "KIOSK-01", looks_like="linux")
    demo("collect")
    crew = "LOWMERE\\Crew Rota"
    kiosk = f"\n- id: kiosk\n  hosts: {{named: KIOSK-01}}\n  refuse-logon: {{network: {crew}, console: {crew}}}\n"
    charter(demo, WARDENS, kiosk)
    proposal = demo("propose", "--format", "json").json
    reasons = {(left["subject"], left["reason"]) for left in proposal["left_out"]}
    assert reasons == {
        (
            "CONSOLE-01",
            (
                "unsupported: CONSOLE-01 has no elevation: a host reached by its account database has no such thing as"
                " one elevated program"
            ),
        ),
        ("KIOSK-01", "unsupported: KIOSK-01 cannot tell logon by network apart"),
    }
    assert {m for s, m in found(demo, "elevation-missing") if s == "CONSOLE-01"} == {
        rf"LOWMERE\Galley Crew cannot run /opt/charts/update elevated: {reason}"
        for subject, reason in reasons
        if subject == "CONSOLE-01"
    }
    assert {(r["target"], r["kind"]) for r in enact(demo)} == {
        ("CONSOLE-02", "give-elevation"),
        ("CONSOLE-04", "give-elevation"),
        ("KIOSK-01", "refuse-logon"),
    }


def test_nobody_is_locked_out_of_a_host(demo: Program) -> None:
    """A keeper is never refused by name; where a refusal would leave no keeper a way in, it is refused as a whole."""
    rule = QUAY.replace(r"remote: [LOWMERE\Domain Users]", r"remote: [LOWMERE\Domain Users, LOWMERE\Domain Admins]")
    charter(demo, rule)
    left = demo("propose", "--format", "json").json["left_out"]
    assert {(one["member"], one["reason"]) for one in left} == {(r"LOWMERE\Domain Admins", "a keeper is never refused")}
    charter(demo, FOR_ALL)
    accounts = host(demo, "QUAY-01")["accounts"]
    host(demo, "QUAY-01", accounts=[account | {"enabled": False} for account in accounts])
    demo("collect")
    before = files(demo)
    refused = demo("enact", "--yes")
    assert refused.code == 1
    assert "no keeper could log on any more at host QUAY-01, neither at the console nor remotely" in refused.err
    assert files(demo) == before


def test_a_host_that_others_changed_meanwhile_is_looked_at_again(demo: Program) -> None:
    """A notice that is another one by now is a conflict; a refusal that would now shut everybody out is held back."""
    charter(demo, FOR_ALL)
    demo("propose", "--output", "p.json")
    host(demo, "QUAY-01", notice={"title": "Mine", "text": ""})
    accounts = host(demo, "QUAY-02")["accounts"]
    host(demo, "QUAY-02", accounts=[account | {"enabled": False} for account in accounts])
    done = demo("enact", "p.json", "--yes", "--format", "json")
    assert done.code == 4
    outcomes = {(r["target"], r["kind"], r["status"], r["detail"]) for r in done.json if r["status"] != "verified"}
    assert ("QUAY-01", "set-notice", "conflict", "it is another one by now than the proposal saw") in outcomes
    held = [(t, d) for t, kind, status, d in outcomes if status == "held-back"]
    assert held == [("QUAY-02", "as QUAY-02 stands now, no keeper could log on there any more")]
    assert host(demo, "QUAY-01")["notice"]["title"] == "Mine"


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ("refuse-logon: {}", "says no way of logging on: give console, remote, network, service, batch"),
        ("refuse-logon: {konsole: [LOWMERE\\Domain Users]}", "unknown key 'konsole', did you mean 'console'?"),
        (
            "{refuse-logon: {console: [LOWMERE\\Crew Rota]}, allow-logon-only: {console: [lowmere\\crew rota]}}",
            "both lets and refuses lowmere\\crew rota by console",
        ),
        ('notice: {title: "a\\eb"}', "must be plain text, without control characters"),
        ("notice: {text: b}", "title is missing"),
        ("elevate: {program: update, sha256: x, for: [a]}", "program 'update' must be a whole path"),
        ("elevate: {program: /a/../b, sha256: x, for: [a]}", "must be a path without . and .."),
        ("elevate: {program: /a, sha256: x, for: [a]}", "sha256 must be 64 hexadecimal digits"),
        (f"elevate: {{program: /a, sha256: {DIGEST}, for: []}}", "for"),
    ],
)
def test_a_mistake_in_such_a_rule_is_named_with_its_line(demo: Program, rule: str, said: str) -> None:
    """One clear line each, and nothing is done."""
    keys = rule[1:-1].replace("}, ", "}\n  ") if rule.startswith("{") else rule
    (demo.folder / "charter/charter.yaml").write_text(
        f"charter: 1\nrules:\n- id: r\n  hosts: {{everywhere: true}}\n  {keys}\n"
    )
    ran = demo("propose")
    assert ran.code == 1
    assert said in ran.err
    assert "charter.yaml:" in ran.err


def test_where_a_rule_holds_and_what_a_move_would_change(demo: Program) -> None:
    """The hosts of a rule with its part and what it finds; what a host would lose and get elsewhere, and then does."""
    near = "\n- id: kiosks\n  hosts: {under: 'OU=Ticket Kiosks,OU=Hosts', except: KIOSK-02}\n  notice: {title: Kiosk}\n"
    charter(demo, QUAY, near)
    reached = demo("charter", "where", "kiosks", "--format", "json")
    rows = {row["host"]: row for row in reached.json}
    assert (reached.code, len(rows)) == (3, 24)
    assert rows["KIOSK-02"]["standing"] == "excepted"
    assert rows["KIOSK-22"]["standing"] == "unknown"
    assert (rows["KIOSK-01"]["decides"], rows["KIOSK-01"]["deviations"]) == (
        "decides",
        "shows no notice and not 'Kiosk'",
    )

    move = ("OU=Ticket Kiosks,OU=Hosts",)
    effect = demo("charter", "effect", "QUAY-01", "--if-moved-to", *move, "--format", "json")
    assert {(row["change"], row["rule"], row["about"]) for row in effect.json} == {
        ("loses", "closed-until-moved", "logon by console"),
        ("loses", "closed-until-moved", "logon by remote"),
        ("loses", "closed-until-moved", "notice"),
        ("gets", "kiosks", "notice"),
    }
    enact(demo, "--touching", "25") if demo("enact", "--yes").code == 1 else []
    assert not logon(demo, "QUAY-01", "orla.fenn", "console")["allowed"]
    assert demo("move", "QUAY-01", *move, "--yes").code == 0
    assert {(r["kind"], r["target"]) for r in enact(demo)} == {("end-refusal", "QUAY-01"), ("set-notice", "QUAY-01")}
    after = logon(demo, "QUAY-01", "orla.fenn", "console")
    assert (after["allowed"], after["notice"]["title"]) == (True, "Kiosk")
    assert demo("charter", "effect", "QUAY-01", "--if-moved-to", *move).code == 0


def test_a_new_computer_from_its_creation_to_the_first_logon(demo: Program) -> None:
    """It lands on the Quay, is closed there, told after some days, and admitted to its place: moved, opened, mended."""
    stewards = "LOWMERE\\Domain Admins, local\\administrator, LOWMERE\\Kiosk Stewards"
    there = "{under: 'OU=Ticket Kiosks,OU=Hosts'}"
    kiosks = f"\n- id: kiosks\n  hosts: {there}\n  local-group: administrators\n  only: [{stewards}]\n"
    charter(demo, QUAY, kiosks)
    groups = host(demo, "QUAY-01")["local_groups"]
    groups[0]["members"] = sorted({*groups[0]["members"], demo("show", "orla.fenn", "--format", "json").json["sid"]})
    host(demo, "QUAY-01", local_groups=groups)
    demo("collect")
    enact(demo)
    assert not logon(demo, "QUAY-01", "orla.fenn", "console")["allowed"]
    waiting = [s for s, m in found(demo, "waiting-host") if "it waits for its place since" in m]
    assert waiting == ["QUAY-01", "QUAY-02"]
    with (demo.folder / "adzeguard.toml").open("a") as settings:
        settings.write("\n[checks]\nwaiting_days = 100000\n")
    assert found(demo, "waiting-host") == []
    before = files(demo), (demo.folder / "lowmere.ldif").read_bytes()

    done = demo("hosts", "admit", "QUAY-01", "OU=Ticket Kiosks,OU=Hosts", "--yes")
    assert "QUAY-01 loses: logon by console, refuse LOWMERE\\Domain Users (closed-until-moved)" in done.err + done.out
    assert "QUAY-01 gets: administrators, only " in done.err + done.out
    shown = demo("show", "QUAY-01", "--format", "json").json
    assert shown["dn"].startswith("CN=QUAY-01,OU=Ticket Kiosks,OU=Hosts")
    assert (shown["logon"]["refused"], shown["notice"]) == ({}, {})
    [administrators] = [g["members"] for g in shown["local_groups"] if g["name"] == "administrators"]
    assert set(administrators) == {r"LOWMERE\Domain Admins", r"QUAY-01\administrator", r"LOWMERE\Kiosk Stewards"}
    assert logon(demo, "QUAY-01", "orla.fenn", "console") == {
        "host": "QUAY-01",
        "person": r"LOWMERE\orla.fenn",
        "person_sid": demo("show", "orla.fenn", "--format", "json").json["sid"],
        "by": "console",
        "allowed": True,
        "because": None,
        "notice": None,
    }
    assert demo("undo", "--last", "--yes").code == 0
    assert (files(demo), (demo.folder / "lowmere.ldif").read_bytes()) == before


def doors(demo: Program, *arguments: str) -> list[Json]:
    """The rows of doors."""
    rows: list[Json] = demo("doors", *arguments, "--format", "json").json
    return rows


def test_getting_out_of_local_administrators(demo: Program) -> None:
    """Both doors are seen and closed on all consoles at once, keepers kept; one program is elevated instead."""
    crew = demo("who", "Galley Crew", "--format", "json").json[0]["qualified_name"]
    sid = {name: demo("show", name, "--format", "json").json["sid"] for name in (crew, "LOWMERE\\Galley Crew")}
    consoles = [f"CONSOLE-{n:02}" for n in range(1, 13)]
    for name in consoles:
        groups = host(demo, name)["local_groups"]
        more = {sid["LOWMERE\\Galley Crew"]} | ({sid[crew]} if name == "CONSOLE-05" else set())
        groups[0]["members"] = sorted({*groups[0]["members"], *more})
        used = [
            {"who": sid[crew], "program": f"/opt/{what}", "day": "2026-11-20"} for what in ("charts/update", "sonar")
        ]
        host(demo, name, local_groups=groups, programs={"/opt/charts/update": DIGEST}, used=used)
    demo("collect")
    theirs = {(row["host"], row["door"], row["through"]) for row in doors(demo, crew)}
    assert {(name, "group", r"LOWMERE\Galley Crew") for name in consoles} <= theirs
    assert ("CONSOLE-05", "direct", None) in theirs
    counted = {row["through"]: (row["people"], row["hosts"]) for row in doors(demo)}
    assert counted[r"LOWMERE\Galley Crew"][1] == 12

    there = "{under: 'OU=Bridge Consoles,OU=Hosts'}"
    only = "LOWMERE\\Domain Admins, local\\administrator, LOWMERE\\Console Wardens"
    charter(
        demo,
        f"\n- id: consoles\n  hosts: {there}\n  local-group: administrators\n  only: [{only}]\n",
        f"\n- id: charts\n  hosts: {there}\n"
        f"  elevate: {{program: /opt/charts/update, sha256: {DIGEST}, for: [{crew}]}}\n",
    )
    after = {(r["host"], r["door"], r["through"]): r["after"] for r in doors(demo, crew, "--after-charter")}
    assert after["CONSOLE-05", "group", r"LOWMERE\Galley Crew"] == after["CONSOLE-05", "direct", None] == "loses"
    needs = {r["needs"] for r in doors(demo, crew, "--after-charter") if r["after"] == "loses"}
    assert needs == {"/opt/sonar"}, "the other one comes with a rule"
    assert "Ran elevated there" in demo("doors", crew, "--after-charter").out
    rows = enact(demo)
    assert {r["kind"] for r in rows} >= {"remove-local-member", "give-elevation"}
    assert {row["host"] for row in doors(demo, crew)} & set(consoles) == set()
    assert {r["after"] for r in doors(demo, "Administrator", "--after-charter")} == {"stays"}
    for name in ("CONSOLE-05", "CONSOLE-12"):
        ran = demo("hosts", "standin", "run", name, crew, "/opt/charts/update", "--format", "json").json
        assert (ran["allowed"], ran["elevated"]) == (True, True)
        assert r"LOWMERE\Domain Admins" in {
            m["qualified_name"] for m in demo("who", "--on", name, "--format", "json").json
        }
    assert demo("propose", "--format", "json").json["changes"] == []
