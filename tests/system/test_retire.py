"""Put away, brought back, and deleted in the end."""

import csv
import re
import sqlite3

import pytest

from tests.program import Json, Program, insisting
from tests.store_rows import write_as_told
from tests.system.test_shares import GONE

ADMINS = r"LOWMERE\Domain Admins"
POLICY = "Laptop Power"


def listed(program: Program) -> list[Json]:
    """What is put away."""
    rows: list[Json] = program("retire", "list", "--format", "json").json
    return rows


def directory(program: Program) -> list[str]:
    """The directory's entries in any order, less the marks of when they were changed."""
    text = (program.folder / "lowmere.ldif").read_text()
    blocks = ("\n".join(sorted(block.splitlines())) for block in text.split("\n\n"))
    return sorted(re.sub(r"whenChanged:.*\n?", "", block) for block in blocks)


def long_ago(program: Program) -> None:
    """Let what is put away have waited long enough."""
    with sqlite3.connect(program.folder / ".adzeguard/store.db") as store:
        notes = store.execute("SELECT id, body FROM retired").fetchall()
    for key, body in notes:
        text = re.sub(r'"until": "[^"]*"', '"until": "2026-01-02T00:00:00+00:00"', body)
        write_as_told(program, "UPDATE retired SET body = ? WHERE id = ?", (text, key))


def test_put_away_and_brought_back_all_is_as_before(demo: Program) -> None:
    """A privileged account, a computer, a group and a policy: moved, disabled, out of privileged groups, unlinked."""
    before = directory(demo)
    names = ("cato.lune", "LAPTOP-14", "Old Regatta", POLICY)
    done = demo("retire", *names, "--yes", "--why", "left behind", "--format", "json")
    assert done.code == 0, done.err
    assert {row["status"] for row in done.json} == {"verified"}
    assert {(row["kind"], row["object"] or row["group"]) for row in done.json} >= {
        ("remove-member", ADMINS),
        ("set", "OU=Shore Laptops,OU=Hosts,DC=lowmere,DC=example"),
    }
    rows = {row["name"].rpartition("\\")[2]: row for row in listed(demo)}
    assert set(rows) == set(names)
    assert rows["cato.lune"]["dn"] == "CN=Cato Lune,OU=Retired,DC=lowmere,DC=example"
    assert rows["cato.lune"]["from"] == "CN=Cato Lune,OU=Booking Office,OU=People,DC=lowmere,DC=example"
    assert {row["why"] for row in rows.values()} == {"left behind"}
    shown = demo("show", "cato.lune", "--format", "json").json
    assert (shown["enabled"], ADMINS in shown["member_of"]) == (False, False)
    assert [row["name"] for row in demo("stale", "policies", "--format", "json").json if row["name"] == POLICY] == [
        POLICY
    ]
    back = insisting(demo, "retire", "restore", *names, "--yes", "--format", "json")
    assert back.code == 0, back.err
    assert {row["status"] for row in back.json} == {"verified"}, back.err
    assert listed(demo) == []
    assert directory(demo) == before


def test_who_is_put_away_leaves_what_administers_hosts_and_stays_in_the_rest(demo: Program) -> None:
    """Enabled again by mistake, a retired account is still no administrator of a kiosk."""
    listed_in = set(demo("show", "signe.quist", "--format", "json").json["member_of"])
    demo("retire", "signe.quist", "--yes", "--why", "left")
    left = listed_in - set(demo("show", "signe.quist", "--format", "json").json["member_of"])
    assert r"LOWMERE\Kiosk Stewards" in left
    assert left < listed_in
    assert "signe.quist" not in demo("who", "--on", "KIOSK-07").out


def test_finish_deletes_what_waited_and_nothing_names(demo: Program) -> None:
    """What waits still is left; what is named says by what; in the end it is gone, and undo makes it again."""
    assert demo("collect", "--shares").code == 0
    assert demo("retire", "Ledger Archive", "Old Regatta", POLICY, "--yes", "--why", "unused").code == 0
    early = demo("retire", "finish", "--yes", "--format", "json")
    assert early.json == []
    assert len(listed(demo)) == 3
    long_ago(demo)
    assert "Give --deletions 2" in demo("retire", "finish", "--yes").err
    done = demo("retire", "finish", "--yes", "--deletions", "2")
    assert r"named by grant OU=Retired; share \\HARBOUR-04\Ledgers" in " ".join(done.out.split())
    assert (done.code, "2 verified" in done.out) == (0, True), done.err
    assert [row["name"] for row in listed(demo)] == [r"LOWMERE\Ledger Archive"]
    assert demo("find", "Old Regatta", "--format", "json").json == []
    assert demo("undo", "--last", "--yes").code == 0
    assert len(demo("find", "Old Regatta", "--format", "json").json) == 1


def test_a_note_lasts_as_long_as_the_thing_lies_there(demo: Program) -> None:
    """Brought back or deleted, and that undone, it is put away as it was: where from, until when, and why."""
    assert demo("retire", "Old Regatta", "lior.nye", "--yes", "--why", "unused").code == 0
    noted = listed(demo)
    assert demo("retire", "restore", "Old Regatta", "lior.nye", "--yes").code == 0
    assert listed(demo) == []
    assert demo("undo", "--last", "--yes").code == 0
    assert listed(demo) == noted
    assert demo("retire", "finish", "Old Regatta", "lior.nye", "--anyway", "--yes", "--deletions", "2").code == 0
    assert listed(demo) == []
    assert demo("undo", "--last", "--yes").code == 0
    assert listed(demo) == noted
    assert demo("retire", "restore", "Old Regatta", "lior.nye", "--yes").code == 0
    assert demo("move", "Old Regatta", "OU=Retired", "--yes").code == 0
    assert listed(demo) == []


def test_a_policy_that_is_linked_nowhere_is_noted_and_forgotten(demo: Program) -> None:
    """There is nothing to change of it: noted at once, kept where others with it stay, forgotten once it is back."""
    rows = demo("stale", "policies", "--format", "json").json
    policy = next(row["name"] for row in rows if row["kind"] == "linked-nowhere")
    away = demo("retire", policy, "--yes", "--why", "linked nowhere")
    assert (away.code, "is linked nowhere, and is put away until" in away.err) == (0, True), away.err
    assert demo("retire", "Old Regatta", "--yes").code == 0
    assert demo("retire", "restore", policy, "Old Regatta").code == 2
    assert {row["name"] for row in listed(demo)} == {policy, r"LOWMERE\Old Regatta"}
    assert demo("retire", "restore", policy, "--yes").code == 0
    assert {row["name"] for row in listed(demo)} == {r"LOWMERE\Old Regatta"}


def test_a_proposal_in_a_file_keeps_its_note(demo: Program) -> None:
    """Proposed only, nothing is put away; enacted out of the file, it is, and finds its way back."""
    before = directory(demo)
    assert demo("retire", "cato.lune", "--why", "left", "--only-propose", "away.json").code == 3
    assert listed(demo) == []
    assert demo("enact", "away.json", "--yes").code == 0
    assert [(row["name"], row["why"]) for row in listed(demo)] == [(r"LOWMERE\cato.lune", "left")]
    assert insisting(demo, "retire", "restore", "cato.lune", "--yes").code == 0
    assert directory(demo) == before


def test_a_group_goes_together_with_who_is_in_it(demo: Program) -> None:
    """Both are moved before the one is taken out of the other, and each is found wherever it lies by then."""
    before = directory(demo)
    done = demo(
        "retire", "Night Watch", "roan.pell", r"LOWMERE\Kiosk Stewards", "signe.quist", "--yes", "--format", "json"
    )
    assert {row["status"] for row in done.json} == {"verified"}, done.out
    names = ("Night Watch", "roan.pell", r"LOWMERE\Kiosk Stewards", "signe.quist")
    assert insisting(demo, "retire", "restore", *names, "--yes").code == 0
    assert directory(demo) == before


def test_what_was_used_since_is_not_deleted(demo: Program) -> None:
    """Enabled again, renamed, or logged on since: each is said, and --anyway deletes it all the same."""
    names = ("lior.nye", "cato.lune", "Old Regatta")
    assert demo("retire", *names, "--yes", "--why", "left").code == 0
    long_ago(demo)
    file = demo.folder / "lowmere.ldif"
    text = file.read_text().replace("sAMAccountName: Old Regatta\n", "sAMAccountName: New Regatta\n")
    entries = text.split("\n\n")
    for number, entry in enumerate(entries):
        if "sAMAccountName: lior.nye\n" in entry:
            entries[number] = re.sub("userAccountControl: [0-9]*", "userAccountControl: 512", entry)
        if "sAMAccountName: cato.lune\n" in entry:
            entries[number] = (
                re.sub("lastLogonTimestamp: .*\n?", "", entry) + "\nlastLogonTimestamp: 150000000000000000"
            )
    file.write_text("\n\n".join(entries))
    demo("collect")
    shown = " ".join(demo("retire", "finish", "--yes").out.split())
    for said in ("it was enabled since", "it was renamed since: it was", "it logged on since, on"):
        assert said in shown
    assert len(listed(demo)) == len(names)
    gone = ("lior.nye", "cato.lune", "New Regatta")
    assert demo("retire", "finish", *gone, "--anyway", "--yes", "--deletions", "3").code == 0


def test_what_is_deleted_anyway_leaves_its_sid_to_be_taken_out(demo: Program) -> None:
    """Named by a rule, a grant and a share; deleted all the same, its SID is found and taken out by a proposal."""
    (demo.folder / "charter/ledgers.yaml").write_text(
        "charter: 1\nrules:\n  - {id: ledgers, group: 'LOWMERE\\Ledger Archive', only: []}\n"
    )
    assert demo("collect", "--shares").code == 0
    uses = {row["what"] for row in demo("uses", "Ledger Archive", "--format", "json").json}
    assert uses == {"rule", "grant", "share"}
    sid = demo("show", "Ledger Archive", "--format", "json").json["sid"]
    assert demo("retire", "Ledger Archive", "--yes", "--why", "unused").code == 0
    refused = demo("retire", "finish", "--anyway", "--yes")
    assert (refused.code, "wants the names" in refused.err) == (2, True)
    done = demo("retire", "finish", "Ledger Archive", "--anyway", "--yes", "--deletions", "1")
    assert done.code == 0, done.err
    orphans = {
        (row["what"], row["where"]) for row in demo("uses", "--orphans", "--format", "json").json if row["sid"] == sid
    }
    assert orphans == {
        ("grant", "OU=Retired"),
        ("folder", r"\\HARBOUR-04\Ledgers"),
        ("folder", r"\\HARBOUR-04\Ledgers\2024"),
        ("folder", r"\\HARBOUR-04\Ledgers\2025"),
    }
    assert demo("retire", "tidy", "--sid", sid, "--only-propose", "tidy.json").code == 3
    assert demo("enact", "tidy.json", "--yes").code == 0
    assert {row["sid"] for row in demo("uses", "--orphans", "--format", "json").json} == {GONE}


def test_in_bulk_from_a_reviewed_list(demo: Program) -> None:
    """What stale writes is read back; a row that says no is left, an unknown one stops all, with its line."""
    demo("stale", "groups", "--format", "csv", "--output", "groups.csv")
    path = demo.folder / "groups.csv"
    with path.open(newline="") as file:
        rows = list(csv.DictReader(file))
    kept = [row for row in rows if row["kind"] == "no-members"]
    with path.open("w", newline="") as file:
        writer = csv.DictWriter(file, [*rows[0], "take"])
        writer.writeheader()
        writer.writerows({**row, "take": "no" if row["name"].endswith("Test Ring") else "yes"} for row in kept)
    done = demo("retire", "--from", "groups.csv", "--yes", "--why", "reviewed")
    assert done.code == 0, done.err
    assert {row["name"].rpartition("\\")[2] for row in listed(demo)} == {
        "Ledger Archive",
        "Mooring Trial",
        "Old Regatta",
        "Paint Project",
        "Summer Extras",
    }
    path.write_text("name\nnobody.at.all\n")
    wrong = demo("retire", "--from", "groups.csv", "--yes")
    assert (wrong.code, "groups.csv:2:" in wrong.err) == (1, True), wrong.err


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("retire", ADMINS, "--yes"), "belongs to the domain itself"),
        (("retire", "OU=Quay", "--yes"), "only accounts, groups and policies"),
        (("retire", "edric.sool.adm", "--yes"), "lies in OU=Retired already"),
        (("retire", "mira.holt.adm", "--yes"), "adzeguard group leave"),
        (("retire", "--yes"), "say NAME or --from FILE"),
        (("retire", "restore", "orla.fenn", "--yes"), "is not put away"),
        (("retire", "lior.nye", "--to", "OU=Nowhere", "--yes"), "OU=Nowhere"),
    ],
)
def test_what_is_not_put_away(demo: Program, arguments: tuple[str, ...], says: str) -> None:
    """It is said, nothing is changed and nothing is noted."""
    before = directory(demo)
    done = demo(*arguments)
    assert (done.code in (1, 2), says in done.err) == (True, True), done.err
    assert (directory(demo), listed(demo)) == (before, [])


def test_without_a_yes_nothing_is_noted(demo: Program) -> None:
    """Neither of what would have been moved, nor of a policy that would have been unlinked."""
    before = directory(demo)
    assert demo("retire", "lior.nye", POLICY).code == 2
    assert (directory(demo), listed(demo)) == (before, [])


def test_the_last_keeper_is_not_put_away(demo: Program) -> None:
    """Disabled accounts look after nothing: with the built-in one disabled already, somebody must be left."""
    text = (demo.folder / "lowmere.ldif").read_text()
    at = text.index("sAMAccountName: Administrator\n")
    begin, end = text.rindex("\n\n", 0, at), text.index("\n\n", at)
    entry = text[begin:end].replace("userAccountControl: 512", "userAccountControl: 514")
    assert entry != text[begin:end]
    (demo.folder / "lowmere.ldif").write_text(text[:begin] + entry + text[end:])
    demo("collect")
    assert demo("group", "leave", "mira.holt.adm", ADMINS, "--yes").code == 0
    people = ("isolde.varn.adm", "tobin.asker.adm", "cato.lune", "orla.fenn")
    before = directory(demo)
    done = demo("retire", *people, "--yes", "--why", "all gone")
    assert (done.code, "keeper" in done.err or "nobody" in done.err) == (1, True), done.err
    assert (directory(demo), listed(demo)) == (before, [])


def test_a_directory_that_keeps_nothing_has_what_was_deleted_made_anew(demo: Program) -> None:
    """Out of the journal: its values, members and groups, under another SID, which is said; undo deletes it again."""
    before = demo("show", "Timetable Editors", "--format", "json").json
    assert demo("group", "delete", "Timetable Editors", "--yes").code == 0
    assert "retire list --deleted" in demo("retire", "restore", "Timetable Editors", "--yes").err
    [row] = demo("retire", "list", "--deleted", "--format", "json").json
    assert (row["name"], row["same_sid"], row["remembered_by"]) == ("Timetable Editors", False, "journal")
    back = demo("retire", "restore", "--deleted", "Timetable Editors", "--yes")
    assert back.code == 0, back.err
    after = demo("show", "Timetable Editors", "--format", "json").json
    assert {key for key in before if before[key] != after[key]} <= {"sid", "created_at"}
    assert demo("retire", "list", "--deleted", "--format", "json").json == []
    assert demo("undo", "--last", "--yes").code == 0
    assert len(demo("retire", "list", "--deleted", "--format", "json").json) == 1


def test_what_comes_back_into_privilege_is_foreseen_and_must_be_named(demo: Program) -> None:
    """A group that was in a privileged one, made again by undo or restored: who comes in by it is told and counted."""
    assert demo("group", "create", "Helm", "--in", "OU=Groups", "--member", "lior.nye", "--yes").code == 0
    assert insisting(demo, "group", "add", "Domain Admins", "Helm", "--yes").code == 0
    assert demo("group", "delete", "Helm", "--yes").code == 0
    for line in (("undo", "--last"), ("retire", "restore", "--deleted", "Helm")):
        refused = demo(*line, "--yes")
        assert (refused.code, "a new way into" in refused.err, "lior.nye" in refused.err) == (1, True, True)
    back = insisting(demo, "retire", "restore", "--deleted", "Helm", "--yes")
    assert (back.code, r"Into LOWMERE\Domain Admins (1): LOWMERE\lior.nye" in back.out) == (0, True), back.out
    assert "lior.nye" in demo("who", "Domain Admins").out
