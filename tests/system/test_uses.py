"""What names a group or an account: all of it, and nothing else."""

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
    demo("waivers", "add", twin["fingerprint"], "--until", "2w", "--why", "leaves soon")
    assert "waiver" in {row["what"] for row in uses(demo, twin["member"])}
    assert demo("group", "create", "Nobody Knows", "--in", "OU=Groups", "--yes").code == 0
    assert [row for row in uses(demo, "Nobody Knows") if row["what"] != "owner"] == []
    assert demo("uses", "nobody.at.all").code == 2
