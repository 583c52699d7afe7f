"""Groups, OUs, places and intake by hand on the embedded directory: made, refused, and taken back."""

import csv
import subprocess

import pytest

from tests.program import Program
from tests.system.test_safe_change import contents


def made(program: Program, *arguments: str, code: int = 0) -> list[dict]:
    """Run a changing command; what became of each change, all of it verified."""
    ran = program(*arguments, "--yes", "--format", "json")
    assert ran.code == code, ran.err
    assert {outcome["status"] for outcome in ran.json} <= {"verified"}
    return ran.json


def test_all_that_was_made_by_hand_is_taken_back_byte_for_byte(demo: Program) -> None:
    """Groups, scopes, names, OUs, protection, moves and intake: undo leaves the file as it was."""
    file = demo.folder / "lowmere.ldif"
    before = file.read_bytes()
    made(demo, "group", "create", "Tide Watch", "--in", "OU=Groups", "--member", "orla.fenn", "--mail", "t@l.example")
    steps = made(demo, "group", "set", "Tide Watch", "--scope", "domain-local", "--description", "Watches tides")
    assert len(steps) == 3
    made(demo, "group", "set", "Tide Watch", "--name", "Tide Guards", "--managed-by", "mira.holt")
    made(demo, "ou", "create", "Dry Dock", "--in", "OU=Hosts")
    made(demo, "move", "OU=Galley,OU=People", "OU=Quay")
    made(demo, "move", "ulla.beck", "OU=Galley,OU=Quay")
    made(demo, "ou", "intake", "set", "--users", "OU=Quay", "--computers", "OU=Quay")
    card = demo("show", "Tide Guards", "--format", "json").json
    assert (card["group_scope"], card["dn"].partition(",")[0]) == ("domain local", "CN=Tide Guards")
    assert demo("show", "ulla.beck", "--format", "json").json["dn"].endswith("OU=Galley,OU=Quay,DC=lowmere,DC=example")
    assert {row["container"] for row in demo("ou", "intake", "show", "--format", "json").json} == {"OU=Quay"}
    assert "0 objects, 0 groups, 0 hosts" in demo("collect").out

    assert "deletes 2 objects" in demo("undo", "--since", "1h", "--yes").err
    made(demo, "undo", "--since", "1h", "--deletions", "2")
    assert file.read_bytes() == before


def test_a_deleted_group_shows_who_names_it_and_comes_back_with_its_members(demo: Program) -> None:
    """Rules, hosts and rights that name a group are told first; undo makes it again, under a new SID it says."""
    told = demo("group", "delete", "Booking Office Leads").out
    assert "it holds rights over 1 object" in told
    assert "its 1 member stays" in told
    told = " ".join(demo("group", "delete", r"LOWMERE\Kiosk Stewards").out.split())
    assert "of the charter names it, to be changed: kiosk-administrators (charter/charter.yaml:" in told
    assert "hosts hold it and will hold a SID that resolves to nothing: KIOSK-01 (Administrators)" in told
    old = demo("show", "Night Watch", "--format", "json").json["sid"]
    made(demo, "group", "delete", "Night Watch")
    assert "nothing" in demo("who", r"LOWMERE\Night Watch").err
    assert "a new way into" in demo("undo", "--last", "--yes").err
    again = made(demo, "undo", "--last", "--new-reach", "1")
    new = demo("show", "Night Watch", "--format", "json").json["sid"]
    assert (again[0]["detail"], new != old) == (f"SID {new}", True)
    assert {m["name"] for m in demo("who", "LOWMERE\\Directory Stewards", "--format", "json").json} >= {
        "Night Watch",
        "orla.fenn",
    }


def test_passwords_and_keys_of_what_is_deleted_stand_nowhere(demo: Program) -> None:
    """What a directory shows an administrator of passwords gets into no file of the workspace."""
    file = demo.folder / "lowmere.ldif"
    secrets = (b"unicodePwd: Seal-Cove-91", b"ms-Mcs-AdmPwd: Seal-Cove-92", b"userPassword: Seal-Cove-93")
    marker = b"sAMAccountName: edric.sool.adm\n"
    file.write_bytes(file.read_bytes().replace(marker, marker + b"\n".join(secrets) + b"\n"))
    demo("collect")
    made(demo, "ou", "delete", "OU=Retired", "--with-content", "--deletions", "2")
    for path in (demo.folder / ".adzeguard").rglob("*"):
        assert path.is_dir() or b"Seal-Cove" not in path.read_bytes(), path
    made(demo, "undo", "--last")
    assert b"Seal-Cove" not in file.read_bytes()


def test_an_ou_is_deleted_with_its_content_only_by_its_number_and_comes_back(demo: Program) -> None:
    """Every object is counted; what comes back stands in its groups again, accounts disabled."""
    refused = demo("ou", "delete", "OU=Bridge,OU=People", "--yes").err
    assert "is not empty" in refused
    many = demo("ou", "delete", "OU=Bridge,OU=People", "--with-content", "--yes").err
    count = many.partition("--deletions ")[2].split()[0]
    removals = many.partition("--removals ")[2].split()[0]
    crew = {m["name"] for m in demo("who", "Bridge Crew", "--format", "json").json}
    made(demo, "ou", "delete", "OU=Bridge,OU=People", "--with-content", "--deletions", count, "--removals", removals)
    assert {m["name"] for m in demo("who", "Bridge Crew", "--format", "json").json} == {"njal.garth"}
    made(demo, "undo", "--last")
    back = demo("who", "Bridge Crew", "--format", "json").json
    assert {m["name"] for m in back} == crew
    assert {m["name"] for m in back if m["enabled"]} == {"njal.garth"}
    assert "0 objects, 0 groups" in demo("collect").out


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["group", "create", "First Aiders", "--in", "OU=Groups"], "exists already"),
        (["group", "create", "a/b", "--in", "OU=Groups"], "cannot be the name of a group"),
        (["group", "create", "Spray", "--in", "OU=Nowhere"], "there is no container"),
        (["group", "create", "Spray", "--in", "OU=Groups", "--member", "Crew Notices"], "is global and cannot hold"),
        (["group", "set", r"BUILTIN\Backup Operators", "--name", "Copiers"], "is built in"),
        (["group", "set", "North Quay Rota", "--scope", "global"], "Take LOWMERE\\South Quay Rota out first"),
        (["group", "set", "First Aiders"], "nothing to set"),
        (["group", "set", "Domain Admins", "--kind", "distribution"], "would be left without a keeper"),
        (["group", "delete", "Domain Users"], "is the primary group of"),
        (["group", "delete", "Schema Admins"], "belongs to the directory itself and is never deleted"),
        (["move", "Administrator", "OU=Quay"], "belongs to the directory itself and is never moved"),
        (["move", "orla.fenn", "First Aiders"], "there is no container"),
        (["move", "OU=People", "OU=Bridge,OU=People"], "cannot be moved into itself"),
        (["ou", "create", "Quay"], "OU=Quay exists already"),
        (["ou", "intake", "set"], "nothing to set"),
        (["ou", "intake", "set", "--users", "DC=lowmere,DC=example"], "new users land in an OU"),
    ],
)
def test_what_cannot_be_is_refused_before_the_directory_is_asked(
    demo: Program, arguments: list[str], said: str
) -> None:
    """Each refusal is one line with its reason, and nothing is written."""
    before = (demo.folder / "lowmere.ldif").read_bytes()
    ran = demo(*arguments, "--yes")
    assert ran.code in (1, 2)
    assert said in ran.err
    assert (demo.folder / "lowmere.ldif").read_bytes() == before


def test_a_protected_ou_stays_until_it_is_unprotected(demo: Program) -> None:
    """The entry on the OU and the one above it protect it; the one above stays while it protects others."""
    made(demo, "ou", "create", "Dry Dock", "--in", "OU=Hosts")
    made(demo, "ou", "create", "Slipway", "--in", "OU=Hosts")
    assert made(demo, "ou", "protect", "OU=Slipway,OU=Hosts") == []
    for refused in (["ou", "delete", "OU=Slipway,OU=Hosts"], ["move", "OU=Slipway,OU=Hosts", "OU=Quay"]):
        assert "protected against deletion" in demo(*refused, "--yes").err
    assert "goes on protecting 1 other" in demo("ou", "unprotect", "OU=Slipway,OU=Hosts", "--yes").out
    made(demo, "ou", "delete", "OU=Slipway,OU=Hosts")
    assert "protected" in demo("ou", "delete", "OU=Dry Dock,OU=Hosts", "--yes").err
    assert len(made(demo, "ou", "unprotect", "OU=Dry Dock,OU=Hosts")) == 2


CHARTER = """\
charter: 1
rules:
  - id: keep-the-ous
    protect: [OU=People, OU=Hosts]
    response: mend
  - id: land-on-the-quay
    intake: {users: OU=Quay, computers: OU=Quay}
    response: mend
  - id: crews
    roster: crews.csv
    new-groups: {in: OU=Groups, scope: universal}
    response: mend
"""
ROSTER = """\
group,member
LOWMERE\\Tide Crew,LOWMERE\\orla.fenn
LOWMERE\\Tide Crew,LOWMERE\\mira.holt
LOWMERE\\Paint Project,LOWMERE\\pontus.reil
LOWMERE\\Mooring Trial,
"""


def test_rules_about_objects_are_followed_and_withdrawn(demo: Program) -> None:
    """Protection, intake and a roster with a new group are put right; without the rules they are taken back."""
    charter = demo.folder / "charter"
    (charter / "charter.yaml").write_text(CHARTER)
    (charter / "crews.csv").write_text(ROSTER)
    file = demo.folder / "lowmere.ldif"
    before = file.read_bytes()
    found = {f["check"] for f in demo("check", "--format", "json").json if f["rule"]}
    assert found == {"unprotected-object", "intake-elsewhere", "missing-group", "missing-member"}
    made(demo, "enact")
    assert demo("propose").code == 0
    assert {m["name"] for m in demo("who", "Tide Crew", "--format", "json").json} == {"orla.fenn", "mira.holt"}
    (charter / "crews.csv").write_text(ROSTER.replace("mira.holt", "cato.lune").replace("pontus.reil", "nobody"))
    assert demo("enact", "--yes", "--format", "json").json == []
    lint = demo("charter", "lint").out
    assert "charter/crews.csv:4: rule crews: nothing is called" in lint
    (charter / "crews.csv").write_text(ROSTER.replace("mira.holt", "cato.lune"))
    ran = demo("enact", "--yes", "--format", "json").json
    assert {(o["kind"], o["member"].partition("\\")[2]) for o in ran} == {
        ("add-member", "cato.lune"),
        ("remove-member", "mira.holt"),
    }

    (charter / "charter.yaml").write_text("charter: 1\nrules: []\n")
    withdrawn = made(demo, "enact")
    assert {(o["kind"], o["rule"]) for o in withdrawn} == {
        ("rights", "keep-the-ous"),
        ("set", "land-on-the-quay"),
        ("remove-member", "crews"),
    }
    assert demo("propose").code == 0
    made(demo, "group", "delete", "Tide Crew")
    assert file.read_bytes() == before


def test_what_lies_in_the_default_containers_is_told_with_a_place(demo: Program) -> None:
    """Two trainees lie in CN=Users, and their departments say where they belong; built-in accounts are not told."""
    found = {
        f["subject"]: f["evidence"]["suggested"]
        for f in demo("check", "--format", "json").json
        if f["check"] == "without-place"
    }
    assert found == {
        r"LOWMERE\ulla.beck": "OU=Galley,OU=People,DC=lowmere,DC=example",
        r"LOWMERE\njal.garth": "OU=Bridge,OU=People,DC=lowmere,DC=example",
    }


def test_a_reviewed_file_says_which_memberships_are_copied(demo: Program) -> None:
    """The file is written first; what is left at yes is enacted, and a line that was made up is refused."""
    copy = ["group", "copy-memberships", "--from", "hedda.morrow", "--to", "yorick.tarn", "--review", "review.csv"]
    assert demo(*copy).code == 3
    file = demo.folder / "review.csv"
    assert file.stat().st_mode & 0o777 == 0o600
    rows = list(csv.DictReader(file.read_text().splitlines()))
    assert {row["group"].partition("\\")[2] for row in rows} == {
        "Booking Office Leads",
        "Booking Supervisors",
        "Timetable Editors",
    }
    file.write_text(file.read_text().replace("yes,LOWMERE\\Booking S", "no,LOWMERE\\Booking S"))
    assert {o["group"].partition("\\")[2] for o in made(demo, *copy)} == {"Timetable Editors"}
    offered = file.read_text().replace("yes,LOWMERE\\T", "no,LOWMERE\\T")
    file.write_text(offered.replace("no,LOWMERE\\Booking O", "yes,LOWMERE\\Booking O"))
    given = made(demo, *copy, "--new-reach", "1")
    assert [o["group"].partition("\\")[2] for o in given] == ["Booking Office Leads"]
    file.write_text("take,sid\nyes,S-1-5-32-544\n")
    assert "review.csv:2: 'None' is not among" in demo(*copy, "--yes").err
    privileged = ["group", "copy-memberships", "--from", "tobin.asker.adm", "--to", "yorick.tarn", "--review", "p.csv"]
    demo(*privileged)
    taken = {
        r["group"]: (r["take"], r["power"]) for r in csv.DictReader((demo.folder / "p.csv").read_text().splitlines())
    }
    assert taken[r"LOWMERE\Domain Admins"] == ("no", "is privileged")
    assert taken[r"LOWMERE\Directory Stewards"] == ("no", r"leads into LOWMERE\Domain Admins")
    assert "no terminal to pick on" in demo(*privileged[:-2], "--pick").err


def test_the_shell_completes_commands_options_and_names(demo: Program) -> None:
    """Bash gets commands, options, names as the quote in front of them wants, and what the charter and journal hold."""
    made(demo, "group", "add", "First Aiders", "orla.fenn")
    [enactment] = {row["enactment"] for row in demo("journal", "--format", "json").json}
    script = f"""
    cd {demo.folder}; adzeguard() {{ python -m adzeguard "$@"; }}
    eval "$(adzeguard settings completion bash | sed 's/ $1)/ COMPLETED adzeguard)/; s/env COMP/COMP/; s/COMPLETED //')"
    try() {{ COMP_WORDS=("$@"); COMP_CWORD=$(($#-1)); COMPREPLY=(); _adzeguard_completion adzeguard; \
printf '%s|' "${{COMPREPLY[@]}}"; echo; }}
    try adzeguard gr; try adzeguard group add Fir; try adzeguard who --ho; try adzeguard ou protect Gal
    try adzeguard why orla.fenn --on KIOSK-2
    try adzeguard who "'Domain Adm"; try adzeguard who '"LOWMERE\\Domain Adm'; try adzeguard move x "'OU=Boo"
    try adzeguard grant give x group-m; try adzeguard check --rule kiosk; try adzeguard undo {enactment[:9]}
    cd /; try adzeguard show orl
    """
    done = subprocess.run(
        ["bash", "-c", script],
        capture_output=True,
        text=True,
        check=False,
        env={**demo.environment, "PATH": _path_with_python()},
    )
    assert done.stdout.splitlines() == [
        "group|grant|",
        "Fire\\ Marshals|First\\ Aiders|",
        "--hosts|",
        "OU=Galley,OU=People|",
        "KIOSK-20|KIOSK-21|KIOSK-22|KIOSK-23|KIOSK-24|",
        "Domain Admins|",
        r"LOWMERE\Domain Admins|",
        "OU=Booking Office,OU=People|",
        "group-membership|",
        "kiosk-administrators|",
        f"{enactment}|",
        "|",
    ], done.stderr
    for shell in ("zsh", "fish"):
        assert "_ADZEGUARD_COMPLETE" in demo("settings", "completion", shell).out


def _path_with_python() -> str:
    import os
    import sys
    from pathlib import Path

    return f"{Path(sys.executable).parent}:{os.environ['PATH']}"


def test_undoing_since_then_undoes_nothing_twice(demo: Program) -> None:
    """What was set, moved and granted, and undone already, is left as it is; what stands is what stood then."""
    before = contents(demo.folder)
    made(demo, "group", "set", "First Aiders", "--description", "who can help")
    made(demo, "undo", "--last")
    made(demo, "move", "CN=First Aiders,OU=Groups", "OU=Retired")
    made(demo, "undo", "--last")
    made(demo, "grant", "give", "Galley Crew", "read-all", "--over", "OU=Retired")
    made(demo, "undo", "--last")
    made(demo, "group", "set", "First Aiders", "--description", "who can help")
    back = made(demo, "undo", "--since", "1h")

    assert [o["kind"] for o in back] == ["set"]
    assert contents(demo.folder) == before
    assert demo("undo", "--since", "1h", "--yes").out.startswith("Nothing to change")
