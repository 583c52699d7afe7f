"""The past: looked at, compared, and what rules did in it taken back when they go."""

import json
import re
import time
from datetime import UTC, datetime

from tests.program import Program

ADMINS = r"LOWMERE\Domain Admins"


def a_moment() -> str:
    """Now, between two collections: their times are told apart to the microsecond."""
    return datetime.fromtimestamp(time.time(), UTC).isoformat()


def test_any_past_moment_can_be_looked_at_and_compared(demo: Program) -> None:
    """Members, hosts and chains are shown as they stood; compare tells effective gains and losses both ways."""
    before = a_moment()
    demo("enact", "--yes")
    after = a_moment()
    demo("group", "add", "Night Watch", "yorick.tarn", "--yes")

    def names(*options: str) -> set[str]:
        return {m["name"] for m in demo("who", ADMINS, "--format", "json", *options).json}

    assert names() == names("--at", after) == {"Administrator", "isolde.varn.adm", "tobin.asker.adm"}
    assert {"cato.lune", "orla.fenn", "mira.holt.adm"} <= names("--at", before)
    assert "Night Watch" in demo("why", "orla.fenn", "--in", ADMINS, "--at", before).out
    on_host = {m["name"] for m in demo("who", "--on", "KIOSK-07", "--at", before, "--format", "json").json}
    assert {"pontus.reil", "fitter"} <= on_host
    assert demo("show", "mira.holt.adm", "--at", before, "--format", "json").json["primary_group"] == ADMINS
    found = demo("compare", before, after, "--format", "json")
    told = {(d["subject"], d["change"], d["member"], d["direct"]) for d in found.json}
    assert found.code == 3
    assert (ADMINS, "lost", r"LOWMERE\orla.fenn", False) in told
    assert (ADMINS, "lost", r"LOWMERE\mira.holt.adm", True) in told
    assert (r"BUILTIN\Administrators", "lost", r"LOWMERE\cato.lune", False) in told
    assert (r"KIOSK-19\administrators", "gained", ADMINS, True) in told
    assert not any("yorick" in member for _, _, member, _ in told)
    assert {d["member"] for d in demo("compare", after, "--format", "json").json} == {r"LOWMERE\yorick.tarn"}
    assert demo("compare", after, after).code == 0
    assert "The first was" in demo("who", ADMINS, "--at", "2001-01-01").err
    assert demo("who", ADMINS, "--at", "someday").code == 2


def test_what_a_rule_put_in_is_withdrawn_with_it_and_nothing_else(demo: Program) -> None:
    """A rule that is gone, switched off or past its day takes its additions with it; other rules and people's stay."""
    charter = demo.folder / "charter/charter.yaml"
    usual = (
        "charter: 1\nrules:\n  - {id: aid, group: 'LOWMERE\\First Aiders', response: mend, "
        "include: ['LOWMERE\\orla.fenn', 'LOWMERE\\yorick.tarn', 'LOWMERE\\hedda.morrow']OPTION}\n"
        "  - {id: kiosks, hosts: {named: [KIOSK-01, KIOSK-02]}, local-group: remote-desktop-users, response: mend, "
        "include: ['LOWMERE\\orla.fenn']}\n"
    )
    other = "  - {id: also, group: 'LOWMERE\\First Aiders', include: ['LOWMERE\\hedda.morrow']}\n"
    charter.write_text(usual.replace("OPTION", "") + other)
    assert demo("enact", "--yes").code == 0
    demo("group", "remove", "First Aiders", "yorick.tarn", "--yes")
    demo("group", "add", "First Aiders", "yorick.tarn", "pontus.reil", "--yes")
    assert demo("propose", "--format", "json").json["changes"] == []
    for option in (", enabled: false", ", until: 2026-01-01"):
        charter.write_text(usual.replace("OPTION", option).replace("KIOSK-02", "KIOSK-03") + other)
        proposed = demo("propose", "--format", "json").json["changes"]
        assert {(c["kind"], c["member"]["name"], c.get("host"), c["rule"]) for c in proposed} == {
            ("remove-member", r"LOWMERE\orla.fenn", None, "aid"),
            ("remove-local-member", r"LOWMERE\orla.fenn", "KIOSK-02", "kiosks"),
            ("add-local-member", r"LOWMERE\orla.fenn", "KIOSK-03", "kiosks"),
        }
    assert {f["member"] for f in demo("check", "--format", "json").json if f["check"] == "left-behind"} == {
        r"LOWMERE\orla.fenn"
    }
    charter.write_text(
        "charter: 1\nrules:\n  - {id: aid, group: 'LOWMERE\\Gone', include: ['LOWMERE\\orla.fenn']}\n" + other
    )
    assert all(c["rule"] != "aid" for c in demo("propose", "--format", "json").json["changes"])
    charter.write_text("charter: 1\nrules: []\n")
    assert demo("enact", "--yes").code == 0
    members = {m["name"] for m in demo("who", "First Aiders", "--format", "json").json if m["direct"]}

    assert {"yorick.tarn", "pontus.reil"} <= members
    assert not {"orla.fenn", "hedda.morrow"} & members
    assert demo("propose", "--format", "json").json["changes"] == []


def test_a_rule_that_says_leave_leaves_what_it_put_in(demo: Program) -> None:
    """With `leave: true` an addition outlives its rule."""
    charter = demo.folder / "charter/charter.yaml"
    charter.write_text(
        "charter: 1\nrules:\n  - {id: aid, group: 'LOWMERE\\First Aiders', response: mend, leave: true, "
        "include: ['LOWMERE\\orla.fenn']}\n"
    )
    assert demo("enact", "--yes").code == 0
    charter.write_text("charter: 1\nrules: []\n")

    assert demo("propose", "--format", "json").json["changes"] == []


def test_status_is_one_screen_about_everything(demo: Program) -> None:
    """It tells age, findings, unread hosts, the last enactments, and the change of the privileged groups."""
    assert "not checked yet  (run adzeguard check)" in demo("status").out
    demo("check")
    demo("enact", "--yes")
    assert "something was collected since  (run adzeguard check)" in " ".join(demo("status").out.split("\n"))
    demo("check")
    shown = demo("status", "--format", "json")
    data = shown.json

    assert shown.code == 3
    assert (data["check_is_outdated"], data["checked_at"][-6:]) == (False, "+00:00")
    assert data["hosts_unread"] == ["KIOSK-22", "LAPTOP-05"]
    assert data["findings_by_severity"]["critical"] == 1
    assert data["enactments"][0]["what"] == "11 verified"
    assert {(p["group"], p["member_count"], p["difference"]) for p in data["privileged"]} >= {
        (ADMINS, 3, -3),
        (r"LOWMERE\Break Glass", 1, 0),
    }
    assert len(demo("status").out.splitlines()) < 25


def test_a_charter_adopted_from_what_stands_finds_no_deviation(demo: Program) -> None:
    """Every rule that adopt writes holds: on groups, on ordinary hosts, and on those that differ."""
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    assert demo("charter", "adopt").code == 0
    text = (demo.folder / "charter/adopted.yaml").read_text()
    lint = demo("charter", "lint")
    assert (lint.code, lint.out.endswith("nothing wrong.\n")) == (0, True)
    assert text.count("- id:") > 20
    assert "# Differs from the others: has KIOSK" not in text
    assert r"# Differs from the others: has LOWMERE\pontus.reil, local\fitter" in text

    found = demo("check", "--format", "json").json
    assert [f for f in found if f["rule"]] == []
    assert not [f for f in found if f["check"] == "undocumented-grant"]  # what fits no duty is written right by right
    assert demo("propose", "--format", "json").json["changes"] == []
    again = demo("charter", "adopt")
    assert (again.code, "has rules already" in again.err) == (2, True)
    (demo.folder / "charter/adopted.yaml").write_text(re.sub(r"(why: As it stood.*)", r"\1\n    response: mend", text))
    assert demo("propose", "--format", "json").json["changes"] == []


AID = (
    "charter: 1\nrules:\n  - {id: aid, group: 'LOWMERE\\First Aiders', response: mend, "
    "include: ['LOWMERE\\orla.fenn']}\n"
)


def outside(demo: Program, operation: str) -> None:
    """Put Orla Fenn into First Aiders, or take her out, behind our back."""
    path = demo.folder / "lowmere.ldif"
    before, start, after = path.read_text().partition("dn: CN=First Aiders,")
    line = "member: CN=Orla Fenn,OU=Bridge,OU=People,DC=lowmere,DC=example\n"
    entry, end, rest = after.partition("\n\n")
    entry = entry.replace(line, "") if operation == "out" else f"{entry}\n{line.rstrip()}"
    path.write_text(f"{before}{start}{entry}{end}{rest}")
    assert demo("collect").code == 4


def test_a_withdrawal_that_is_undone_gives_the_rule_back_what_it_owned(demo: Program) -> None:
    """In a group, and refused on a host: put back by undo, it is the rule's again, and goes with the rule."""
    charter = demo.folder / "charter/charter.yaml"
    rules = (
        "- {id: in, response: mend, group: 'LOWMERE\\First Aiders', include: ['LOWMERE\\elof.kell']}\n"
        "- {id: out, response: mend, hosts: {named: CONSOLE-03}, refuse-logon: {console: ['LOWMERE\\elof.kell']}}\n"
    )
    charter.write_text(f"charter: 1\nrules:\n{rules}")
    assert demo("enact", "--rule", "in", "--rule", "out", "--yes").code == 0
    host = demo.folder / "hosts/CONSOLE-03.json"
    given = json.loads(host.read_text())
    charter.write_text("charter: 1\nrules: []\n")
    for _ in range(2):
        withdrawn = demo("enact", "--yes", "--format", "json").json
        mine = [row for row in withdrawn if row["rule"] in ("in", "out")]
        assert {row["kind"] for row in mine} == {"remove-member", "end-refusal"}
        assert {row["status"] for row in mine} == {"verified"}
        name = next(row["enactment"] for row in reversed(demo("journal", "--format", "json").json) if row["enactment"])
        assert demo("undo", name, "--yes").code == 0
        assert json.loads(host.read_text()) == given
    assert {row["rule"] for row in demo("check", "--where", "check=left-behind", "--format", "json").json} >= {"in"}


def test_who_is_put_in_again_by_somebody_else_is_not_withdrawn_with_the_rule(demo: Program) -> None:
    """A rule's member was taken out outside, and put in again outside: that is no work of the rule's any more."""
    charter = demo.folder / "charter/charter.yaml"
    charter.write_text(AID)
    assert demo("enact", "--yes").code == 0
    outside(demo, "out")
    outside(demo, "in")
    charter.write_text("charter: 1\nrules: []\n")
    assert demo("propose", "--format", "json").json["changes"] == []


def test_what_an_undo_of_an_undo_puts_in_belongs_to_the_rule_again(demo: Program) -> None:
    """Undone and done again, the rule's member goes with the rule as if nothing had been."""
    charter = demo.folder / "charter/charter.yaml"
    charter.write_text(AID)
    for command in (("enact",), ("undo", "--last"), ("undo", "--last")):
        assert demo(*command, "--yes").code == 0
    charter.write_text("charter: 1\nrules: []\n")
    [gone] = demo("propose", "--format", "json").json["changes"]
    assert (gone["kind"], gone["rule"]) == ("remove-member", "aid")


def test_rights_doors_and_reach_are_shown_as_they_stood(demo: Program) -> None:
    """Before a grant, a membership and a local entry that were made since; and not of what is not kept by time."""
    before = datetime.now(UTC).isoformat()
    given = ("Chart Editors", "group-membership", "--over", "First Aiders")
    assert demo("grant", "give", *given, "--yes").code == 0
    assert demo("group", "add", "Chart Editors", "nils.fenn", "--yes").code == 0
    assert demo("group", "add", "administrators", "nils.fenn", "--on", "KIOSK-03", "--yes").code == 0
    may = ("may", "nils.fenn", "write:member", "First Aiders")
    reach = ("reach", "First Aiders", "--format", "json")
    doors = ("doors", "nils.fenn", "--count")
    assert (demo(*may).code, demo(*may, "--at", before).code) == (0, 3)
    now, then = (
        {row["name"] for row in demo(*reach, *at).json if not row["is_member"]} for at in ((), ("--at", before))
    )
    assert "nils.fenn" in now - then
    assert int(demo(*doors).out) == int(demo(*doors, "--at", before).out) + 1
    listed = ("grant", "list", "--over", "First Aiders", "--format", "json")
    holders = [{row["holder"] for row in demo(*listed, *at).json} for at in ((), ("--at", before))]
    assert holders[0] - holders[1] == {r"LOWMERE\Chart Editors"}
    for refused in (("doors", "--after-charter"), ("reach", "First Aiders", "--cut")):
        assert demo(*refused, "--at", before).code == 2


def test_status_check_and_uses_are_shown_as_they_stood(demo: Program) -> None:
    """What was put right since is found then and not now; nothing of it is noted as the last check."""
    demo("check")
    before = datetime.now(UTC).isoformat()
    assert demo("enact", "--rule", "kiosk-administrators", "--yes").code == 0
    assert demo("group", "add", "Domain Admins", "nils.fenn", "--yes").code == 0
    then, now = (
        {row["fingerprint"] for row in demo("check", "--rule", "kiosk-administrators", "--format", "json", *at).json}
        for at in (("--at", before), ())
    )
    assert now < then
    counts = [
        {one["group"]: one["member_count"] for one in demo("status", "--format", "json", *at).json["privileged"]}[
            ADMINS
        ]
        for at in (("--at", before), ())
    ]
    assert counts[1] == counts[0] + 1
    past = demo("status", "--format", "json", "--at", before)
    assert (past.code, past.json["findings_by_severity"], past.json["enactments"]) == (0, None, [])
    assert demo("status", "--format", "json").json["check_is_outdated"] is False
    kept = demo("uses", "nils.fenn", "--at", before, "--format", "json").json
    assert len(demo("uses", "nils.fenn", "--format", "json").json) == len(kept) + 1
