"""What names a group or an account: all of it, and nothing else."""

import json
from base64 import b64decode, b64encode
from dataclasses import replace

from adzeguard.core.descriptors.ace import Ace, AceKind
from adzeguard.core.descriptors.descriptor import AceList, Descriptor
from adzeguard.core.identity import Sid
from tests.program import Json, Program

WARDENS = r"LOWMERE\Console Wardens"
CHARTER = r"""charter: 1
rules:
  - {id: names-it, group: 'LOWMERE\First Aiders', exclude: ['LOWMERE\Console Wardens'], response: mend}
  - {id: crews, roster: crews.csv}
  - id: kept-out
    hosts: {named: KIOSK-01}
    refuse-logon: {console: ['LOWMERE\Console Wardens']}
    response: mend
  - id: entry
    hosts: {named: KIOSK-02}
    local-group: administrators
    include: ['LOWMERE\Console Wardens']
    response: mend
  - {id: other, group: 'LOWMERE\First Aiders', include: ['LOWMERE\roan.pell']}
"""


def uses(program: Program, name: str) -> list[Json]:
    """What names it."""
    rows: list[Json] = program("uses", name, "--format", "json").json
    return rows


def test_everything_that_names_a_group(demo: Program) -> None:
    """Each place where it was put by us, and no place that names another."""
    before = {(row["what"], row["where"]) for row in uses(demo, WARDENS)}
    (demo.folder / "charter/charter.yaml").write_text(CHARTER)
    (demo.folder / "charter/crews.csv").write_text(f"group,member\nLOWMERE\\Radio Watch,{WARDENS}\n")
    for command in (
        ("enact",),
        ("group", "add", r"LOWMERE\Radio Watch", WARDENS),
        ("grant", "give", WARDENS, "user-details", "--over", "OU=Quay"),
        ("grant", "deny", WARDENS, "password-help", "--over", "OU=Retired"),
        ("lease", "start", "roan.pell", WARDENS, "--for", "1h"),
        ("group", "set", "First Aiders", "--managed-by", WARDENS),
    ):
        done = demo(*command, "--yes")
        assert done.code == 0, (command, done.err)
    rows = uses(demo, WARDENS)
    assert {(row["what"], row["where"]) for row in rows} - before == {
        ("membership", r"LOWMERE\Radio Watch"),
        ("grant", "OU=Quay"),
        ("denial", "OU=Retired"),
        ("rule", "names-it"),
        ("rule", "kept-out"),
        ("rule", "entry"),
        ("roster", "crews"),
        ("local-group", "KIOSK-02"),
        ("refusal", "KIOSK-01"),
        ("lease", "L1"),
        ("managed-by", r"LOWMERE\First Aiders"),
    }
    assert "other" not in {row["where"] for row in rows}
    assert {row["detail"] for row in rows if row["what"] == "refusal"} == {"refused by console"}


def test_what_is_elevated_owned_left_and_named_by_nothing(demo: Program) -> None:
    """A program on a host, objects by their owner, a waiver, a primary group; and what nothing names says so."""
    owned = [row for row in uses(demo, r"LOWMERE\Domain Admins") if row["what"] == "owner"]
    assert len(owned) == 6
    assert "more objects" in owned[-1]["where"]
    elevate = f"{{program: /opt/tide/set, sha256: {'ab' * 32}, for: ['LOWMERE\\elof.kell']}}"
    rule = f"- {{id: tide, hosts: {{named: CONSOLE-03}}, response: mend, elevate: {elevate}}}"
    (demo.folder / "charter/tide.yaml").write_text(f"charter: 1\nrules:\n{rule}\n")
    assert demo("enact", "--rule", "tide", "--yes").code == 0
    assert {(row["what"], row["where"], row["detail"]) for row in uses(demo, "elof.kell")} >= {
        ("elevation", "CONSOLE-03", "/opt/tide/set"),
        ("rule", "tide", "charter/tide.yaml:3"),
    }
    mine = uses(demo, "mira.holt.adm")
    assert {"what": "membership", "where": r"LOWMERE\Domain Admins", "detail": "it is its primary group"} in mine
    [twin] = [row for row in demo("check", "--format", "json").json if row["check"] == "disabled-member"]
    demo("questions", "leave", twin["fingerprint"], "--until", "2w", "--why", "leaves soon")
    assert "waiver" in {row["what"] for row in uses(demo, twin["member"])}
    assert demo("group", "create", "Nobody Knows", "--in", "OU=Groups", "--yes").code == 0
    assert [row for row in uses(demo, "Nobody Knows") if row["what"] != "owner"] == []
    assert demo("uses", "nobody.at.all").code == 2


def test_a_dead_sid_is_found_on_hosts_and_taken_out(demo: Program) -> None:
    """In a local group, refused, and elevated; undone all is as before. The tidying of a live one is no tidying."""
    elevate = f"{{program: /opt/tide/set, sha256: {'ab' * 32}, for: ['LOWMERE\\Shift Crew']}}"
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n"
        "- {id: a, hosts: {named: CONSOLE-03}, response: mend, refuse-logon: {console: ['LOWMERE\\Shift Crew']}}\n"
        f"- {{id: b, hosts: {{named: CONSOLE-03}}, response: mend, elevate: {elevate}}}\n"
    )
    for line in (
        ("group", "create", "Shift Crew", "--in", "OU=Groups"),
        ("group", "add", "--on", "CONSOLE-03", "administrators", "Shift Crew"),
        ("enact",),
        ("group", "delete", "Shift Crew"),
    ):
        done = demo(*line, "--yes")
        assert done.code == 0, (line, done.err)
    before = json.loads((demo.folder / "hosts/CONSOLE-03.json").read_text())
    rows = [row for row in demo("uses", "--orphans", "--format", "json").json if row["seen"] == "deleted"]
    assert {(row["what"], row["where"], row["seen"]) for row in rows} == {
        ("local-group", "CONSOLE-03", "deleted"),
        ("refusal", "CONSOLE-03", "deleted"),
        ("elevation", "CONSOLE-03", "deleted"),
    }
    [sid] = {row["sid"] for row in rows}
    assert demo("retire", "tidy", "--sid", sid, "--yes").code == 0
    assert sid not in (demo.folder / "hosts/CONSOLE-03.json").read_text()
    assert demo("undo", "--last", "--yes").code == 0
    assert json.loads((demo.folder / "hosts/CONSOLE-03.json").read_text()) == before
    planted = {row["where"] for row in demo("uses", "--orphans", "--format", "json").json if row["seen"] == "vanished"}
    assert planted >= {"KIOSK-12", "OU=People"}


def test_who_merely_vanished_is_taken_out_by_their_number_alone(demo: Program) -> None:
    """An export without somebody says nothing of whether they are gone: their rights stay until it is said."""
    assert demo("group", "add", "--on", "CONSOLE-03", "administrators", "roan.pell", "--yes").code == 0
    sid = demo("show", "roan.pell", "--format", "json").json["sid"]
    file = demo.folder / "lowmere.ldif"
    whole = file.read_text()
    file.write_text("\n\n".join(entry for entry in whole.split("\n\n") if "sAMAccountName: roan.pell\n" not in entry))
    demo("collect")
    assert {row["seen"] for row in demo("uses", "--orphans", "--format", "json").json} == {"vanished"}
    refused = demo("retire", "tidy", "--sid", sid, "--yes")
    assert (refused.code, "nobody has seen them deleted" in refused.err) == (1, True), refused.err
    wrong = demo("retire", "tidy", "--sid", sid, "--yes", "--vanished", "2")
    assert (wrong.code, "1 such SIDs" in wrong.err) == (1, True), wrong.err
    assert sid in (demo.folder / "hosts/CONSOLE-03.json").read_text()
    assert demo("retire", "tidy", "--sid", sid, "--yes", "--vanished", "1").code == 0
    assert sid not in (demo.folder / "hosts/CONSOLE-03.json").read_text()


def test_a_group_that_keeps_others_out_of_a_share_says_so_before_it_is_deleted(demo: Program) -> None:
    """Whoever was denied by it alone would get in: that is told apart from what it gives."""
    sid = Sid(demo("show", "Chart Editors", "--format", "json").json["sid"])
    file = demo.folder / "shares/Harbour.json"
    content = json.loads(file.read_text())
    before = Descriptor.from_bytes(b64decode(content["folders"]["Plans"]))
    entries = (Ace(AceKind.DENY, 0, 0x1F01FF, sid), *before.entries)
    after = replace(before, dacl=AceList(entries, 2))
    content["folders"]["Plans"] = b64encode(after.to_bytes()).decode()
    file.write_text(json.dumps(content))
    assert demo("collect", "--shares").code == 0
    assert ("share-denial", r"\\HARBOUR-04\Harbour\Plans") in {
        (row["what"], row["where"]) for row in uses(demo, "Chart Editors")
    }
    demo("group", "delete", "Chart Editors", "--only-propose", "p.json")
    [said] = [note for note in json.loads((demo.folder / "p.json").read_text())["notes"] if "is denied on" in note]
    assert "gets in" in said
    assert r"\\HARBOUR-04\Harbour\Plans" in said


def test_who_is_put_away_is_told_by_what_they_could_still_come_in(demo: Program) -> None:
    """The second door, a direct entry on a host, is not closed by moving an account."""
    assert demo("group", "add", "--on", "CONSOLE-03", "administrators", "elof.kell", "--yes").code == 0
    shown = " ".join(demo("retire", "elof.kell", "--yes", "--why", "left").out.split())
    assert r"LOWMERE\elof.kell is still named by" in shown
    assert "local-group CONSOLE-03" in shown
