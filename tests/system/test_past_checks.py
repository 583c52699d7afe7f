"""What should not go unnoticed: found in the log of the last days by check and logons, and nothing beside it."""

import json
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tests.program import Json, Program

PAST = ("brief-membership", "odd-hours", "changed-by-stranger", "trail-gap", "auditing-off", "unseen-by-trail")
LOGONS = ("logon-in-lower-tier", "logon-though-refused", "tried-in-vain")


def found(program: Program, *checks: str) -> list[Json]:
    """What check finds of these kinds."""
    return [row for row in program("check", "--format", "json").json if row["check"] in checks]


def told(program: Program, *events: Json) -> None:
    """Let the program read a log of these events."""
    file = Path(program.folder / f"log-{len(list(program.folder.iterdir()))}.jsonl")
    file.write_text("".join(json.dumps(event) + "\n" for event in events))
    assert program("trail", "import", file).code == 0


def ago(hours: float) -> str:
    """A moment so many hours ago."""
    return (datetime.now(UTC) - timedelta(hours=hours)).isoformat()


def with_settings(program: Program, text: str) -> None:
    """Write a table at the end of the settings."""
    with (program.folder / "adzeguard.toml").open("a") as file:
        file.write(text)


def test_the_planted_night_is_found_and_nothing_else(demo: Program) -> None:
    """In and out within eleven minutes, on a Sunday at 02:40, by the service desk; and the days without a log."""
    assert found(demo, *PAST, *LOGONS) == []
    demo("trail", "import", "trail.jsonl")
    with_settings(demo, '\n[checks]\nworking_hours = ["Mon-Sun 06:00-23:00"]\n')
    rows = found(demo, *PAST, *LOGONS)
    assert sorted((row["check"], row["member"] or "") for row in rows) == [
        ("brief-membership", r"LOWMERE\roan.pell"),
        ("changed-by-stranger", r"LOWMERE\roan.pell"),
        ("changed-by-stranger", r"LOWMERE\roan.pell"),
        ("odd-hours", r"LOWMERE\roan.pell"),
        ("odd-hours", r"LOWMERE\roan.pell"),
        ("trail-gap", ""),
    ]
    for row in rows:
        if row["member"]:
            assert r"Night Watch, which leads into LOWMERE\Domain Admins," in row["message"]
            assert (row["evidence"]["by"], row["evidence"]["from"]) == (r"LOWMERE\signe.quist", "198.51.100.42")
    with_settings(demo, "past_days = 0\n")
    assert found(demo, *PAST) == []


def test_who_is_let_by_a_rule_is_no_stranger(demo: Program) -> None:
    """A rule that grants it is enough; keepers and whoever is privileged need none."""
    demo("trail", "import", "trail.jsonl")
    charter = demo.folder / "charter/charter.yaml"
    rule = (
        "\n  - id: desk-may\n    over: OU=Hosts\n    grant: [group-membership]\n"
        "    to: [LOWMERE\\signe.quist]\n    response: tell\n"
    )
    charter.write_text(charter.read_text() + rule)
    assert found(demo, "changed-by-stranger") != []
    charter.write_text(charter.read_text().replace("over: OU=Hosts", "over: OU=Groups"))
    assert found(demo, "changed-by-stranger") == []


def test_working_hours_that_are_none(demo: Program) -> None:
    """Are one clear line."""
    demo("trail", "import", "trail.jsonl")
    with_settings(demo, '\n[checks]\nworking_hours = ["nine to five"]\n')
    wrong = demo("check")
    assert (wrong.code, "working_hours" in wrong.err) == (1, True)


@pytest.mark.parametrize("refused", [False, True])
def test_privileged_accounts_on_hosts_below_them(demo: Program, refused: bool) -> None:
    """Of a stronger tier than the host, or refused there; whoever is not privileged, or was refused, is no matter."""
    charter = demo.folder / "charter/charter.yaml"
    rules = "charter: 1\nrules:\n"
    rules += "  - {id: top, tier: 0, accounts: {inside: LOWMERE\\Domain Admins}}\n"
    rules += '  - {id: kiosks, tier: 2, hosts: {under: "OU=Ticket Kiosks,OU=Hosts"}}\n'
    charter.write_text(rules)
    verb = "refused" if refused else "logon"
    admin, deck = r"LOWMERE\isolde.varn.adm", r"LOWMERE\roan.pell"
    told(
        demo,
        {"time": ago(3), "verb": verb, "member": admin, "group": "KIOSK-07", "from": "198.51.100.11"},
        {"time": ago(2), "verb": verb, "member": admin, "group": "KIOSK-07"},
        {"time": ago(2), "verb": verb, "member": admin, "group": "CONSOLE-03"},
        {"time": ago(2), "verb": verb, "member": deck, "group": "KIOSK-08"},
        {"time": ago(2000), "verb": verb, "member": admin, "group": "KIOSK-09"},
    )
    rows = found(demo, *LOGONS)
    assert [(row["check"], row["subject"], row["member"]) for row in rows] == (
        [] if refused else [("logon-in-lower-tier", "KIOSK-07", admin)]
    )


def test_an_account_that_is_tried_in_vain(demo: Program) -> None:
    """Ten times from one place is told, nine are not; logons shows both, and who was not used at all first."""
    admin, other = r"LOWMERE\isolde.varn.adm", r"LOWMERE\tobin.asker.adm"
    tries = [{"time": ago(n / 10), "verb": "refused", "member": admin, "from": "203.0.113.9"} for n in range(10)]
    tries += [{"time": ago(n / 10), "verb": "refused", "member": other, "from": "203.0.113.9"} for n in range(9)]
    tries.append({"time": ago(1), "verb": "logon", "member": other, "group": "BRIDGE-01", "from": "198.51.100.12"})
    told(demo, *tries)
    [row] = found(demo, *LOGONS)
    assert (row["check"], row["subject"], "10 times from 203.0.113.9" in row["message"]) == (
        "tried-in-vain",
        admin,
        True,
    )
    rows = demo("logons", "--format", "json").json
    used = [one for one in rows if one["last_used_at"]]
    assert [(one["account"], one["last_host"], one["last_from"], one["logons"], one["refused"]) for one in used] == [
        (other, "BRIDGE-01", "198.51.100.12", 1, 9)
    ]
    assert rows[-1] == used[0]
    assert {one["account"]: one["refused"] for one in rows}[admin] == 10
    one = demo("logons", admin, "--format", "json").json
    # The session in which the example has it work is told by the host, and stands beside what the log tells.
    assert [row["outcome"] for row in one if row["way"] != "session"] == ["refused"] * 10
    assert demo("logons", "nobody.at.all").code == 2


def test_a_change_of_ours_that_no_log_shows(demo: Program) -> None:
    """While the log went on before and after it; what is in the log is not told, nor what came after its end."""
    demo("group", "add", r"LOWMERE\Chart Editors", "roan.pell", "--yes")
    told(demo, {"time": ago(2), "verb": "logon", "member": r"LOWMERE\orla.fenn"})
    assert found(demo, "unseen-by-trail") == []
    # Only what is older than ten minutes is missed: a log may come late.
    assert {row["check"] for row in found(demo, "auditing-off")} == {"auditing-off"}


def test_the_server_itself_is_no_stranger(demo: Program) -> None:
    """What it does as the system, such as when an account is made, needs no rule; the same by somebody does."""
    change = {"time": ago(5), "verb": "added", "group_sid": sid_of(demo, "Domain Admins"), "member": "CN=x"}
    told(demo, {**change, "by_sid": "S-1-5-18"})
    assert found(demo, "changed-by-stranger") == []
    told(demo, {**change, "by_sid": sid_of(demo, "roan.pell")})
    assert len(found(demo, "changed-by-stranger")) == 1


def sid_of(program: Program, name: str) -> str:
    """The SID of somebody."""
    sid: str = program("show", name, "--format", "json").json["sid"]
    return sid
