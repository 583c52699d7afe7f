"""Ways over hosts on the example: what the log tells, what it does not, and what is gone when it is taken away."""

import json
from datetime import UTC, datetime, timedelta

import pytest

from tests.program import Json, Program

GROUP = r"LOWMERE\Domain Admins"
PLANTED = r"LOWMERE\KIOSK-12"


@pytest.fixture
def told(demo: Program) -> Program:
    """The example with its log read."""
    assert demo("trail", "import", "trail.jsonl").code == 0
    return demo


def over_hosts(program: Program, *words: str) -> dict[tuple[str, str], Json]:
    """The ways over hosts, by who administers which host, less those of the session that the example has."""
    rows = program("reach", GROUP, "--over-hosts", "--format", "json", *words).json
    return {
        (row["qualified_name"], row["path"][1]): row for row in rows if row["over_hosts"] and row["path"][1] != PLANTED
    }


def logged_on(program: Program, who: str, host: str, **said: object) -> None:
    """Somebody logged on at a host, as a directory server logs it; keywords are what its record says otherwise."""
    sid = program("show", who, "--format", "json").json["sid"]
    at = datetime.now(UTC) - timedelta(hours=2)
    body = {
        "eventId": 4624,
        "status": "NT_STATUS_OK",
        "serviceDescription": "SamLogon",
        "logonType": 2,
        "clientAccount": who,
        "becameSid": sid,
        "netlogonTrustAccount": f"{host}$",
        "netlogonSecureChannelType": 2,
        **said,
    }
    record = {"timestamp": f"{at:%Y-%m-%dT%H:%M:%S}.000000+0000", "type": "Authentication", "Authentication": body}
    (program.folder / "more.jsonl").write_text(json.dumps(record) + "\n")
    assert program("trail", "import", "more.jsonl").code == 0


def test_who_administers_a_host_has_what_was_left_there(told: Program) -> None:
    """Both planted logons are found, for everybody who administers those hosts, with when and how; no more is told."""
    found = over_hosts(told)
    assert {host for _, host in found} == {r"LOWMERE\KIOSK-07", r"LOWMERE\CONSOLE-03"}
    assert {who for who, host in found if host == r"LOWMERE\KIOSK-07"} == {
        r"LOWMERE\Kiosk Stewards",
        r"LOWMERE\pontus.reil",
    }
    way = found[r"LOWMERE\pontus.reil", r"LOWMERE\KIOSK-07"]
    assert way["sentence"].startswith(
        r"LOWMERE\pontus.reil administers LOWMERE\KIOSK-07, which saw LOWMERE\tobin.asker.adm log on at its console on "
    )
    assert (way["proof"], way["people"]) == ("may still be there", 1)
    assert found[r"LOWMERE\Domain Users", r"LOWMERE\CONSOLE-03"]["people"] > 150
    assert not any(row["over_hosts"] for row in told("reach", "First Aiders", "--over-hosts", "--format", "json").json)
    assert "over_hosts" not in told("reach", GROUP, "--format", "json").json[0]


def test_doors_of_a_host_say_whose_ticket_it_has_seen(told: Program) -> None:
    """The privileged who logged on at it, how and when; not who came over the network, and nothing of another host."""
    assert r"has seen: LOWMERE\tobin.asker.adm at its console on " in " ".join(told("doors", "KIOSK-07").out.split())
    assert "has seen" not in told("doors", "KIOSK-09").out
    assert "has seen" not in told("doors", "pontus.reil").out


@pytest.mark.parametrize(
    "said",
    [
        {"logonType": 3},
        {"logonType": 8},
        {"status": "NT_STATUS_WRONG_PASSWORD"},
        {"netlogonTrustAccount": None, "netlogonSecureChannelType": 0, "netlogonComputer": "KIOSK-11"},
        {"netlogonTrustAccount": None, "netlogonSecureChannelType": 0, "workstation": "KIOSK-11"},
        {"serviceDescription": "Kerberos KDC"},
        {"becameSid": "S-1-5-21-9-9-9-1104", "clientAccount": "isolde.varn.adm"},
    ],
)
def test_what_leaves_nothing_or_proves_nothing_is_no_way(told: Program, said: dict[str, object]) -> None:
    """Over the network, refused, only claimed by a client, a ticket of nowhere, or somebody else of that name."""
    logged_on(told, "isolde.varn.adm", "KIOSK-11", **said)
    assert r"LOWMERE\KIOSK-11" not in {host for _, host in over_hosts(told)}


def test_an_old_logon_and_a_gone_administrator_lead_nobody_on(told: Program) -> None:
    """Within the days that checks look back alone; and who is taken out of the administrators has no way any more."""
    logged_on(told, "isolde.varn.adm", "KIOSK-11")
    assert over_hosts(told)[r"LOWMERE\Kiosk Stewards", r"LOWMERE\KIOSK-11"]["proof"] == "still there"
    settings = told.folder / "adzeguard.toml"
    with settings.open("a") as file:
        file.write("\n[checks]\npast_days = 1\n")
    lately = {host for _, host in over_hosts(told)}
    # What was yesterday at a quarter past nine is within a day only before that time.
    assert lately - {r"LOWMERE\CONSOLE-03"} == {r"LOWMERE\KIOSK-11"}
    taken = told("group", "remove", "administrators", r"LOWMERE\Kiosk Stewards", "--on", "KIOSK-11", "--yes")
    assert taken.code == 0, taken.err
    assert {host for _, host in over_hosts(told)} == lately - {r"LOWMERE\KIOSK-11"}


def test_a_logon_that_is_refused_by_now_ends_with_its_ticket(told: Program) -> None:
    """Within its days it is told as refused; after them the way is gone, where one that nothing refuses is not."""
    rule = """  - id: kiosks-are-no-place-for-administrators
    why: Whoever looks after a kiosk must not become one.
    response: mend
    hosts: {named: [KIOSK-07, KIOSK-08]}
    no-privileged-logons: LOWMERE\\tobin.asker.adm
"""
    with (told.folder / "charter/charter.yaml").open("a") as charter:
        charter.write(rule)
    enacted = told("enact", "--rule", "kiosks-are-no-place-for-administrators", "--yes")
    assert enacted.code == 0, enacted.err
    way = over_hosts(told)[r"LOWMERE\Kiosk Stewards", r"LOWMERE\KIOSK-07"]
    assert "(refused by now)" in way["sentence"]
    told.ahead = timedelta(days=6)
    assert {host for _, host in over_hosts(told)} == {r"LOWMERE\CONSOLE-03"}


def test_the_cut_names_what_closes_them(told: Program) -> None:
    """The fewest things: a logon that a rule refuses closes a host for all who administer it."""
    cut = told("reach", GROUP, "--over-hosts", "--cut", "--format", "json")
    assert cut.code == 3
    kinds = {row["kind"] for row in cut.json}
    assert "logon" in kinds
    what = {row["what"] for row in cut.json}
    assert r"refuse LOWMERE\isolde.varn.adm logon at CONSOLE-03, by a rule" in what
    shown = told("reach", GROUP, "--over-hosts", "--cut")
    assert "no-privileged-logons" in shown.out


def seen_on(program: Program, host: str, *seen: tuple[str, str, timedelta]) -> None:
    """A host says from now on whom it saw, how, and how long ago; it is collected again."""
    path = program.folder / f"hosts/{host}.json"
    content = json.loads(path.read_text())
    sids = {who: program("show", who, "--format", "json").json["sid"] for who, *_ in seen}
    now = datetime.now(UTC)
    content["seen_on"] = [{"who": sids[who], "how": how, "at": (now - ago).isoformat()} for who, how, ago in seen]
    path.write_text(json.dumps(content))
    program("collect")


def test_who_works_at_a_host_is_seen_without_any_log(demo: Program) -> None:
    """An open session and a ticket that lies there are ways; a logon by key or over the network is none."""
    admin, other = "tobin.asker.adm", "mira.holt.adm"
    hour = timedelta(hours=1)
    seen_on(demo, "KIOSK-01", (admin, "session", hour), (other, "key", hour), (other, "network", hour))
    found = over_hosts(demo)
    assert {host for _, host in found} == {r"LOWMERE\KIOSK-01"}
    [way] = [way for (who, _), way in found.items() if who == r"LOWMERE\Kiosk Stewards"]
    assert rf"saw LOWMERE\{admin} log on in a session that was open on " in way["sentence"]
    assert way["proof"] == "still there"
    doors = " ".join(demo("doors", "KIOSK-01").out.split())
    assert rf"has seen: LOWMERE\{admin} in a session that was open on " in doors
    rows = demo("logons", "--on", "KIOSK-01", "--format", "json").json
    told = {(row["account"], row["way"], row["is_privileged"], row["told_by"]) for row in rows}
    assert told == {
        (rf"LOWMERE\{admin}", "session", True, "the host"),
        (rf"LOWMERE\{other}", "key", True, "the host"),
        (rf"LOWMERE\{other}", "network", True, "the host"),
    }
    assert [row["way"] for row in demo("logons", admin, "--format", "json").json] == ["session"]
    seen_on(demo, "KIOSK-01", (admin, "ticket-kept", timedelta(days=2)))
    [way] = [way for (who, _), way in over_hosts(demo).items() if who == r"LOWMERE\Kiosk Stewards"]
    assert (way["proof"], " that lies there" in way["sentence"]) == ("may still be there", True)
    seen_on(demo, "KIOSK-01")
    assert over_hosts(demo) == {}


def test_what_a_host_that_is_off_said_last_is_told_still(demo: Program) -> None:
    """Nobody says that the session is over; what changes is its age, and no history of hosts is written for it."""
    hosts = demo("history", "--format", "json").json
    seen_on(demo, "KIOSK-01", ("tobin.asker.adm", "session", timedelta(hours=1)))
    path = demo.folder / "hosts/KIOSK-01.json"
    content = json.loads(path.read_text())
    path.write_text(json.dumps(content | {"seen_on": [], "behaviour": {"offline": True}}))
    demo("collect")
    assert {host for _, host in over_hosts(demo)} == {r"LOWMERE\KIOSK-01"}
    assert demo("history", "--format", "json").json == hosts
    assert demo("compare", "--format", "json").json == []


@pytest.mark.parametrize("words", [("--on", "roan.pell"), ("--on", "NOWHERE-9"), ("roan.pell", "--on", "KIOSK-01")])
def test_a_wrong_name_after_on_is_one_clear_line(demo: Program, words: tuple[str, ...]) -> None:
    """A person, nobody, or two questions at once."""
    done = demo("logons", *words)
    assert (done.code, done.out) == (2, "")
    assert len(done.err.splitlines()) <= 2


def test_the_ways_in_are_reported_with_the_change_that_closes_most(told: Program) -> None:
    """Each way once, of the group that it leads to first; closed, it is gone. Members are no way in."""
    rows = told("report", "ways", "--format", "json").json
    by_host = {row["sentence"].partition(" administers ")[2].partition(",")[0]: row for row in reversed(rows)}
    assert {host for host in by_host if host} == {r"LOWMERE\KIOSK-07", r"LOWMERE\CONSOLE-03", PLANTED}
    assert len({row["sentence"] for row in rows}) == len(rows)
    assert {row["proof"] for row in rows if row["over_hosts"]} == {"still there", "may still be there"}
    worst = by_host[r"LOWMERE\CONSOLE-03"]
    assert worst["close"] == r"refuse LOWMERE\isolde.varn.adm logon at CONSOLE-03, by a rule"
    assert worst["closed_for"] > worst["people"] > 150
    proofs = [["still there", "may still be there", "was there"].index(r["proof"]) if r["proof"] else 0 for r in rows]
    assert proofs == sorted(proofs)
    kiosk = by_host[PLANTED]
    taken = told("group", "remove", "administrators", kiosk["name"], "--on", "KIOSK-12", "--yes")
    assert taken.code == 0, taken.err
    assert kiosk["sentence"] not in {row["sentence"] for row in told("report", "ways", "--format", "json").json}
    assert "Ways in" in told("report", "all", "--format", "markdown").out


def test_no_privileged_logons_closes_what_a_host_can_tell_apart(demo: Program) -> None:
    """All four ways that leave something at a kiosk, two at a console, which runs Linux; with the rule they go."""
    rule = """charter: 1
rules:
- id: no-admins-there
  response: mend
  hosts: {named: [KIOSK-07, CONSOLE-01]}
  no-privileged-logons: ['LOWMERE\\isolde.varn.adm']
"""
    (demo.folder / "charter/charter.yaml").write_text(rule)
    proposal = demo("propose", "--format", "json").json
    ways = {(change["host"], change["way"]) for change in proposal["changes"]}
    assert ways == {
        *(("KIOSK-07", way) for way in ("console", "remote", "service", "batch")),
        *(("CONSOLE-01", way) for way in ("console", "remote")),
    }
    assert proposal["left_out"] == []
    assert demo("enact", "--yes").code == 0
    assert demo("propose", "--format", "json").json["changes"] == []
    logon = json.loads((demo.folder / "hosts/KIOSK-07.json").read_text())["logon"]["refused"]
    assert set(logon) == {"console", "remote", "service", "batch"}
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    assert demo("enact", "--yes").code == 0
    assert "logon" not in json.loads((demo.folder / "hosts/KIOSK-07.json").read_text())


def lists_of_hosts(program: Program, name: str) -> list[str]:
    """The hosts to which an account is limited."""
    found: list[str] = program("show", name, "--format", "json").json.get("workstations", [])
    return found


def test_where_a_host_can_refuse_nobody_the_accounts_are_limited(demo: Program) -> None:
    """An account with a list of hosts loses those, and has them back with the rule's end; one without is told."""
    for name in ("KIOSK-07", "KIOSK-08"):
        host = demo.folder / f"hosts/{name}.json"
        host.write_text(json.dumps({**json.loads(host.read_text()), "looks_like": "file-server"}))
    demo("collect")
    limited, free, disabled = "isolde.varn.adm", "tobin.asker.adm", "edric.sool.adm"
    rules = demo.folder / "charter/charter.yaml"
    lists = """charter: 1
rules:
- id: a-list-at-first
  response: mend
  leave: true
  accounts: {named: [LOWMERE\\isolde.varn.adm, LOWMERE\\edric.sool.adm]}
  logon-only-on: {named: [KIOSK-07, CONSOLE-01]}
"""
    away = f"""
- id: no-admins-there
  response: mend
  hosts: {{named: [KIOSK-07, KIOSK-08]}}
  no-privileged-logons: ['LOWMERE\\{limited}', 'LOWMERE\\{free}', 'LOWMERE\\{disabled}']
"""
    rules.write_text(lists)
    assert demo("enact", "--yes").code == 0
    rules.write_text(lists + away)
    found = {row["subject"]: row for row in demo("check", "--rule", "no-admins-there", "--format", "json").json}
    assert found.keys() == {rf"LOWMERE\{limited}", rf"LOWMERE\{free}"}
    assert "rule a-list-at-first says on which hosts alone it may" in found[rf"LOWMERE\{limited}"]["message"]
    told = found[rf"LOWMERE\{free}"]["message"]
    assert "may log on to KIOSK-07, KIOSK-08" in told
    assert "a rule with logon-only-on gives it a list" in told
    rules.write_text("charter: 1\nrules:" + away)
    assert demo("enact", "--yes").code in (0, 4)
    assert (lists_of_hosts(demo, limited), lists_of_hosts(demo, free)) == (["CONSOLE-01"], [])
    assert demo("propose", "--format", "json").json["changes"] == []
    rules.write_text("charter: 1\nrules:" + away.replace("[KIOSK-07, KIOSK-08]", "KIOSK-08"))
    assert demo("enact", "--yes").code in (0, 4)
    assert set(lists_of_hosts(demo, limited)) == {"CONSOLE-01", "KIOSK-07"}
    seen_on(demo, "KIOSK-01", (limited, "session", timedelta(hours=1)))
    [way] = [way for (who, _), way in over_hosts(demo).items() if who == r"LOWMERE\Kiosk Stewards"]
    assert "in a session that was open on " in way["sentence"]
    assert "(refused by now)" in way["sentence"]
