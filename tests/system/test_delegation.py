"""Rights on the embedded directory: planted faults, grants by hand and by charter, answers, reach and cut."""

import csv
from dataclasses import replace

import pytest

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import PROTECTED, Descriptor
from adzeguard.core.identity import Sid
from adzeguard.directory.ldif_file import LdifFile
from adzeguard.directory.port import Modification
from tests.program import Program

OFFICE = "OU=Booking Office,OU=People"
LEADS = r"LOWMERE\Booking Office Leads"

NAMED = ("--new-reach", "34")
"""Galley Crew has 34 people, none of whom reach a privileged group otherwise."""


def made(program: Program, *arguments: str) -> list[dict]:
    """Run a changing command; what became of each change, all of it verified."""
    ran = program(*arguments, "--yes", "--format", "json")
    assert ran.code == 0, ran.err
    assert {outcome["status"] for outcome in ran.json} <= {"verified"}
    return ran.json


def findings(program: Program, *checks: str) -> set[tuple[str, str, str]]:
    """What some checks find: check, where, and whom."""
    found = program("check", "--format", "json").json
    return {(f["check"], f["subject"], f["member"] or "") for f in found if f["check"] in checks}


def test_every_planted_fault_of_delegation_is_found(demo: Program) -> None:
    """A grant nobody wrote down, one to a person, one to an account that is gone, and a desk that reaches higher."""
    found = findings(demo, "grant-to-person", "stale-grant", "could-take-over", "grant-to-everybody", "missing-grant")
    assert found == {
        ("grant-to-person", "OU=Engine Room,OU=People", r"LOWMERE\mira.holt password-help"),
        ("stale-grant", "OU=People", "S-1-5-21-2874019363-1145201871-3300671429-9417 write telephoneNumber"),
        ("could-take-over", r"LOWMERE\Domain Admins", r"LOWMERE\Booking Office Leads"),
        ("could-take-over", r"LOWMERE\Domain Admins", r"LOWMERE\Service Desk"),
    }
    assert findings(demo, "undocumented-grant") == {
        ("undocumented-grant", "OU=Quay", r"LOWMERE\Contractors create computer"),
        ("undocumented-grant", "OU=Engine Room,OU=People", r"LOWMERE\mira.holt password-help"),
        ("undocumented-grant", "CN=Night Watch,OU=Groups", r"LOWMERE\Service Desk group-membership"),
        ("undocumented-grant", "OU=Retired", r"LOWMERE\Ledger Archive read all attributes"),
    }


def test_reach_shows_every_way_and_the_cut_closes_them(demo: Program) -> None:
    """Three memberships are the smallest cut; made by hand, nobody but the named reaches the group any more."""
    group = r"LOWMERE\Domain Admins"
    everybody = {r["name"]: r for r in demo("reach", group, "--format", "json").json}
    assert {name for name, r in everybody.items() if not r["is_member"]} == {"hedda.morrow", "signe.quist", "roan.pell"}
    assert everybody["signe.quist"]["sentence"] == (
        r"LOWMERE\signe.quist is a member of LOWMERE\Service Desk, which may change the members of "
        r"LOWMERE\Night Watch, which is a member of LOWMERE\Directory Stewards, "
        r"which is a member of LOWMERE\Domain Admins"
    )
    cut = demo("reach", group, "--cut", "--format", "json")
    assert cut.code == 3
    assert {row["what"] for row in cut.json} == {
        r"end the membership: LOWMERE\Directory Stewards is a member of LOWMERE\Domain Admins",
        r"end the membership: LOWMERE\cato.lune is a member of LOWMERE\Domain Admins",
        r"end the membership: LOWMERE\mira.holt.adm has LOWMERE\Domain Admins as its primary group",
    }
    assert "Out of LOWMERE\\Domain Admins (3)" in demo("reach", group, "--cut").out
    made(demo, "group", "remove", group, "Directory Stewards", "cato.lune", "mira.holt.adm")
    assert demo("reach", group, "--cut").code == 0
    assert {r["name"] for r in demo("reach", group, "--format", "json").json} == {
        "Administrator",
        "isolde.varn.adm",
        "tobin.asker.adm",
    }
    made(demo, "grant", "give", "Galley Crew", "rights", "--over", "OU=Administrators,OU=People", "--this", *NAMED)
    [way] = {r["sentence"] for r in demo("reach", group, "--format", "json").json if r["name"] == "pontus.reil"}
    assert r"which may change the rights over Administrators, which hands its rights on to" in way
    [only] = demo("reach", group, "--cut", "--format", "json").json
    assert only["what"].startswith(r"withdraw the grant: LOWMERE\Galley Crew may change the rights over")


def test_grants_by_hand_leave_the_same_bytes_when_taken_back(demo: Program) -> None:
    """Given, denied, given twice, withdrawn one of two that share an entry; undo leaves the file as it was."""
    file = demo.folder / "lowmere.ldif"
    before = file.read_bytes()
    made(demo, "grant", "give", LEADS, "user-details", "group-lifecycle", "ou-lifecycle", "--over", OFFICE)
    assert made(demo, "grant", "give", LEADS, "user-details", "group-lifecycle", "--over", OFFICE) == []
    made(demo, "grant", "give", "Service Desk", "read-all", "--over", "OU=Retired", "--this")
    made(demo, "grant", "deny", "Service Desk", "everything", "--over", "Harbour Operators")
    made(demo, "grant", "give", "Crew Rota", "user-details", "--over", "OU=People", "--only-for", "user")
    listed = demo("grant", "list", "--over", OFFICE, "--format", "json").json
    shown = {(g["holder"], g["duty"], g["extent"]) for g in listed if not g["origin"]}
    assert shown == {
        (LEADS, "password-help", "below"),
        (LEADS, "user-details", "below"),
        (LEADS, "group-lifecycle", "this and below"),
        (LEADS, "ou-lifecycle", "this and below"),
    }
    above = [
        g for g in demo("grant", "list", "--over", "cato.lune", "--format", "json").json if g["duty"] == "user-details"
    ]
    assert {(g["holder"], g["origin"]) for g in above} == {(LEADS, OFFICE), (r"LOWMERE\Crew Rota", "OU=People")}
    refused = demo("grant", "withdraw", "Crew Rota", "--over", "cato.lune", "--yes")
    assert "Withdraw it there: adzeguard grant withdraw --over 'OU=People'" in refused.err
    made(demo, "grant", "give", LEADS, "write:comment", "read:info", "--over", OFFICE, "--only-for", "user")
    assert demo("may", "hedda.morrow", "write:comment", "cato.lune").code == 0
    made(demo, "grant", "withdraw", LEADS, "write:comment", "--over", OFFICE)
    assert demo("may", "hedda.morrow", "write:comment", "cato.lune").code == 3
    made(demo, "grant", "withdraw", LEADS, "group-lifecycle", "--over", OFFICE)
    made(demo, "grant", "withdraw", "Service Desk", "--denied", "--over", "Harbour Operators")
    assert "0 objects, 0 groups, 0 hosts" in demo("collect").out

    made(demo, "undo", "--since", "1h")
    assert file.read_bytes() == before

    made(demo, "grant", "give", LEADS, "user-details", "--over", OFFICE)
    made(demo, "grant", "give", LEADS, "group-lifecycle", "--over", OFFICE)
    both = file.read_bytes()
    made(demo, "grant", "withdraw", LEADS, "user-details", "--over", OFFICE)
    made(demo, "undo", "--last")
    assert file.read_bytes() == both


def test_a_duty_for_a_class_gives_nothing_over_the_ou_itself(demo: Program) -> None:
    """Whoever manages the computers of an OU may not change the OU, nor the users in it."""
    made(demo, "grant", "give", "Service Desk", "computer-lifecycle", "--over", "OU=Quay")
    made(demo, "grant", "give", "Service Desk", "computer-lifecycle", "--over", "OU=Retired", "--this")
    assert demo("may", "signe.quist", "write:description", "OU=Retired").code == 3
    assert demo("may", "signe.quist", "create:computer", "OU=Retired").code == 0
    for right, target, code in (
        ("create:computer", "OU=Quay", 0),
        ("computer-lifecycle", "OU=Quay", 0),
        ("write:userAccountControl", "QUAY-01", 0),
        ("rights", "OU=Quay", 3),
        ("write:description", "OU=Quay", 3),
        ("create:user", "OU=Quay", 3),
    ):
        assert demo("may", "signe.quist", right, target).code == code, (right, target)


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["give", "Service Desk", "user-detials", "--over", OFFICE], "Did you mean user-details?"),
        (["give", "Service Desk", "group-membership", "--over", "cato.lune"], "is about group"),
        (["give", "Service Desk", "user-lifecycle", "--over", "First Aiders"], "is about what lies in an OU"),
        (["give", "Service Desk", "user-details", "--over", "cato.lune", "--below"], "nothing lies below it"),
        (["give", "Service Desk", "password-help", "--over", OFFICE, "--this"], "is about user"),
        (["give", "Service Desk", "user-details", "--over", OFFICE, "--only-for", "usr"], "Did you mean user?"),
        (["withdraw", "orla.fenn", "--over", OFFICE], "was not given"),
    ],
)
def test_grants_that_mean_nothing_are_refused(demo: Program, arguments: list[str], said: str) -> None:
    """Each is one line with its reason, and nothing is written."""
    before = (demo.folder / "lowmere.ldif").read_bytes()
    ran = demo("grant", *arguments, "--yes")
    assert ran.code == 2
    assert said in ran.err
    assert (demo.folder / "lowmere.ldif").read_bytes() == before


def test_rights_cannot_be_changed_so_that_nobody_could_change_them_back(demo: Program) -> None:
    """Taking the keepers' rights over an object they do not own is refused; you do not lock yourself out either."""
    made(demo, "grant", "give", "Domain Admins", "everything", "--over", "OU=Quay")
    everyone = ["grant", "deny", "Domain Admins", "rights", "--over", "OU=Quay", "--this", "--yes"]
    assert demo(*everyone).code == 0  # the administrators own it, and owners change rights back
    settings = demo.folder / "adzeguard.toml"
    settings.write_text(settings.read_text() + "\n[guards]\noperator = 'LOWMERE\\pontus.reil'\n")
    made(demo, "grant", "give", "Galley Crew", "rights", "--over", "OU=Groups", "--this", *NAMED)
    refused = demo("grant", "withdraw", "Galley Crew", "--over", "OU=Groups", "--yes")
    assert refused.code == 1
    assert r"you (LOWMERE\pontus.reil) could not change the rights over OU=Groups" in refused.err


def test_grants_to_everybody_and_denials_that_come_too_late_are_found(demo: Program) -> None:
    """Domain Users and everyone are everybody; a denial that stands behind a grant is told; so is what is closed."""
    made(demo, "grant", "give", "Domain Users", "user-details", "--over", "OU=Quay")
    made(demo, "grant", "give", r"well-known\everyone", "write:info", "--over", "OU=Retired", "--new-reach", "183")
    assert findings(demo, "grant-to-everybody") == {
        ("grant-to-everybody", "OU=Quay", r"LOWMERE\Domain Users user-details"),
        ("grant-to-everybody", "OU=Retired", r"well-known\everyone write info"),
    }
    file = LdifFile(demo.folder / "lowmere.ldif")
    dn = "CN=First Aiders,OU=Groups,DC=lowmere,DC=example"
    entry = file.read(dn)
    assert entry is not None
    standing = Descriptor.from_bytes(entry.first("ntsecuritydescriptor") or b"")
    denial = Ace(AceKind.DENY, 0, int(Right.WRITE_PROPERTY), Sid("S-1-5-11"))
    own = [e for e in standing.entries if not e.inherited]
    closed = replace(standing.with_entries([*own, denial]), control=standing.control | PROTECTED)
    file.modify(dn, [Modification("replace", "nTSecurityDescriptor", (closed.to_bytes(),))])
    demo("collect")
    assert findings(demo, "late-denial", "closed-to-inheritance") == {
        ("late-denial", "CN=First Aiders,OU=Groups", ""),
        ("closed-to-inheritance", r"LOWMERE\First Aiders", ""),
    }


def test_a_damaged_descriptor_is_told_and_keeps_nothing_else_from_view(demo: Program) -> None:
    """One object whose rights cannot be read is a finding; all else is found, and what is asked of it is one line."""
    dn = b"dn: CN=Crew Rota,OU=Groups,DC=lowmere,DC=example\n"
    text = (demo.folder / "lowmere.ldif").read_bytes()
    before, _, after = text.partition(dn)
    record, blank, rest = after.partition(b"\n\n")
    kept = record[: record.index(b"nTSecurityDescriptor::")]
    damaged = before + dn + kept + b"nTSecurityDescriptor:: AQAEgP////8AAAAA" + blank + rest
    (demo.folder / "lowmere.ldif").write_bytes(damaged)
    assert "The rights over 1 object cannot be read as they came" in demo("collect").err
    assert findings(demo, "damaged-descriptor") == {("damaged-descriptor", "CN=Crew Rota,OU=Groups", "")}
    assert len(findings(demo, "could-take-over", "stale-grant")) == 3
    for asked in (
        ["may", "orla.fenn", "delete", "Crew Rota"],
        ["reach", "Crew Rota"],
        ["grant", "list"],
        ["grant", "give", "Radio Watch", "group-membership", "--over", "Crew Rota", "--yes"],
        ["grant", "list", "--over", "Crew Rota"],
        ["ou", "protect", "OU=Groups", "--yes"],
    ):
        assert demo(*asked).code in (0, 1, 3), asked


def test_giving_to_a_person_and_denying_say_what_to_know(demo: Program) -> None:
    """A person is told with the groups that hold them; a denial with what it wins over."""
    given = demo("grant", "give", "hedda.morrow", "user-details", "--over", OFFICE).out
    assert "is a person" in given
    assert r"LOWMERE\Booking Office Leads" in given
    denied = " ".join(demo("grant", "deny", LEADS, "password-help", "--over", OFFICE).out.split())
    assert "a denial wins over what is given at the same place or from above, here over: LOWMERE\\Booking" in denied


RULES = """\
charter: 1
duties:
  set-rooms:
    words: set the room and the telephone
    classes: [user]
    write: [physicalDeliveryOfficeName, telephoneNumber]
rules:
  - id: desk-sets-rooms
    over: OU=People
    grant: [set-rooms, computer-join]
    to: [LOWMERE\\Service Desk]
    response: mend
  - id: desk-keeps-its-hands-off
    over: LOWMERE\\Harbour Operators
    deny: [everything]
    to: [LOWMERE\\Service Desk]
    response: mend
"""


def test_grants_of_the_charter_are_put_right_narrowed_and_withdrawn(demo: Program) -> None:
    """A rule's grant is given by proposal; what a changed rule no longer says, and a rule that goes, is taken away."""
    file, charter = demo.folder / "lowmere.ldif", demo.folder / "charter/charter.yaml"
    before = file.read_bytes()
    charter.write_text(RULES)
    assert len(findings(demo, "missing-grant")) == 3 - 1
    assert len(made(demo, "enact")) == 3
    assert demo("propose", "--format", "json").json["changes"] == []
    assert demo("may", "signe.quist", "set-rooms", "orla.fenn").code == 0
    assert demo("may", "signe.quist", "write:member", "Harbour Operators").code == 3
    charter.write_text(RULES.replace("[set-rooms, computer-join]", "[computer-join]"))
    [narrowed] = made(demo, "enact")
    assert narrowed["rule"] == "desk-sets-rooms"
    assert demo("may", "signe.quist", "set-rooms", "orla.fenn").code == 3
    charter.write_text(RULES.replace("computer-join]", "computer-jion]"))
    assert (
        demo("propose", "--format", "json").json["changes"] == []
    )  # a rule that cannot be understood takes nothing away
    charter.write_text("charter: 1\nrules: []\n")
    assert len(made(demo, "enact")) == 2
    assert file.read_bytes() == before
    charter.write_text(RULES.replace("computer-join]", "computer-jion]"))
    assert ("unclear-grant", "OU=People", "") in findings(demo, "unclear-grant")
    assert "Did you mean computer-join?" in demo("charter", "lint").out


def test_documented_grants_are_found_no_more(demo: Program) -> None:
    """The rules that are written for what stands resolve, leave nothing out, and change nothing."""
    demo("grant", "document", "--output", "charter/grants.yaml")
    text = (demo.folder / "charter/grants.yaml").read_text()
    assert "why: ''  # say why" in text
    assert "its holder resolves to nothing" in text
    assert demo("charter", "lint").code == 0
    assert not findings(demo, "undocumented-grant")
    assert not findings(demo, "missing-grant")
    assert (
        "grant" not in demo("propose", "--also", "service-desk-change-members-night-watch").out.partition("What it")[0]
    )


def test_many_questions_are_answered_at_once(demo: Program) -> None:
    """Each line of a file gets its answer and its reason; one that is not understood says so, the rest is answered."""
    (demo.folder / "ask.csv").write_text(
        "who,right,object\n"
        "hedda.morrow,password-help,cato.lune\nhedda.morrow,password-help,orla.fenn\n"
        "cato.lune,write:member,Domain Admins\norla.fenn,delete,orla.fenn\nnobody.here,delete,orla.fenn\n"
        "orla.fenn,fly,orla.fenn\norla.fenn,control:User-Change-Password,orla.fenn\n=cmd,delete,orla.fenn\n"
    )
    ran = demo("may", "--batch", "ask.csv", "--format", "json")
    assert ran.code == 4
    assert [row["allowed"] for row in ran.json] == [True, False, True, True, None, None, True, None]
    assert ran.json[0]["because"] == rf"{LEADS} is given: use User-Force-Change-Password, from above" or (
        ran.json[0]["because"] == rf"{LEADS} is given: write pwdLastSet, from above"
    )
    assert ran.json[0]["path"] == [r"LOWMERE\hedda.morrow", LEADS]
    assert "there is no duty 'fly'" in ran.json[5]["because"]
    rows = list(csv.DictReader(demo("may", "--batch", "ask.csv", "--format", "csv").out.splitlines()))
    assert rows[7]["who"] == "'=cmd"
    who = {p["name"] for p in demo("may", "--who", "password-help", "cato.lune", "--format", "json").json}
    assert "hedda.morrow" in who
    assert "signe.quist" not in who


def test_the_map_is_drawn_and_written(demo: Program) -> None:
    """A picture of a private file, and the same as CSV; another kind of file is refused."""
    assert demo("grant", "map", "--output", "map.png").code == 0
    picture = demo.folder / "map.png"
    assert picture.read_bytes().startswith(b"\x89PNG")
    assert picture.stat().st_mode & 0o777 == 0o600
    rows = list(csv.DictReader(demo("grant", "map").out.splitlines()))
    cells = {row["over"]: row[LEADS] for row in rows}
    assert cells[OFFICE] == "password-help (below)"
    assert "is no picture" in demo("grant", "map", "--output", "map.gif").err


def test_what_is_written_down_is_marked(demo: Program) -> None:
    """A grant that a rule asks for, and one that none does; without a readable charter nothing is said of it."""
    said = {row["holder"]: row["documented"] for row in demo("grant", "list", "--format", "json").json}
    assert said[r"LOWMERE\Booking Office Leads"] is True
    assert said[r"LOWMERE\mira.holt"] is False
    (demo.folder / "charter/broken.yaml").write_text("charter: 1\nrules: [")
    listed = demo("grant", "list", "--format", "json")
    assert {row["documented"] for row in listed.json} == {None}
    assert "What is written down is not said" in listed.err
