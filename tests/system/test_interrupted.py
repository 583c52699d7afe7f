"""Enactments that are stopped, killed, or overtaken by what somebody else does."""

import json
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

from tests.program import Program, naming_numbers
from tests.system.test_safe_change import big_proposal, contents, edit_host

ADMINS = r"LOWMERE\Domain Admins"
CATO = "CN=Cato Lune,OU=Booking Office,OU=People,DC=lowmere,DC=example"


def rows(program: Program, kind: str) -> int:
    """How many rows of a kind the journal has."""
    with closing(sqlite3.connect(program.folder / ".adzeguard/store.db")) as store:
        [(count,)] = store.execute("SELECT count(*) FROM journal WHERE kind = ?", (kind,))
    return int(count)


def stopped(program: Program) -> tuple[int, str]:
    """Begin to enact, and press Ctrl-C when the third change is concluded; the exit code and what was said."""
    command = [sys.executable, "-m", "adzeguard", "enact", "--yes"]
    working = subprocess.Popen(
        command, cwd=program.folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
    )
    until = time.monotonic() + 60
    while rows(program, "outcome") < 3:
        assert working.poll() is None
        assert time.monotonic() < until
    working.send_signal(signal.SIGINT)
    _, said = working.communicate(timeout=60)
    return working.returncode, said


def only_cato_is_left(folder: Path, but: tuple[str, str] = ("", "")) -> None:
    """Change the directory behind our back: nobody but cato.lune is a domain administrator any more.

    With `but`, who has this line in the entry that begins so is the only one instead.
    """
    path = folder / "lowmere.ldif"
    entries = path.read_text().replace("\n ", "").split("\n\n")
    for place, entry in enumerate(entries):
        if entry.startswith("dn: CN=Domain Admins,"):
            lines = [line for line in entry.split("\n") if not line.startswith("member: ")]
            entries[place] = "\n".join([*lines, *([] if but[0] else [f"member: {CATO}"])])
        elif but[0]:
            continue
        elif entry.startswith("dn: CN=Mira Holt (adm),"):
            entries[place] = entry.replace("primaryGroupID: 512", "primaryGroupID: 513")
    path.write_text("\n\n".join(entries))


def test_deleting_what_lets_the_last_keeper_in_is_refused(demo: Program) -> None:
    """Whoever is an administrator by their primary group alone counts, and so does a group that a host names."""
    only_cato_is_left(demo.folder, but=("primaryGroupID: 512", "CN=Mira Holt (adm),"))
    assert demo("collect").code == 4
    refused = demo("ou", "delete", "OU=Administrators,OU=People", "--with-content", "--yes", "--deletions", "5")
    assert "Domain Admins would be left without a keeper" in refused.err, refused.err
    assert demo("group", "create", "Kiosk Wardens", "--in", "OU=Groups", "--yes").code == 0
    assert demo("group", "add", "Kiosk Wardens", "mira.holt.adm", "--yes", "--new-reach", "0").code == 0
    warden = demo("show", "Kiosk Wardens", "--format", "json").json["sid"]

    def only_wardens(content: dict) -> None:
        content["local_groups"][0]["members"] = [warden]

    edit_host(demo, "KIOSK-15", only_wardens)
    assert demo("collect").code == 4
    gone = demo("group", "delete", "Kiosk Wardens", "--yes")
    assert (gone.code, "host KIOSK-15 would be left without a keeper" in gone.err) == (1, True), gone.err


def test_ctrl_c_stops_after_the_change_in_hand_and_the_rest_is_gone_on_with_or_dropped(
    demo_as_made: Path, tmp_path: Path
) -> None:
    """It ends with 4 and says what is left; nothing else is enacted from the charter until it is resumed or dropped."""
    program = big_proposal(demo_as_made, tmp_path / "one")
    before = contents(program.folder)
    code, said = stopped(program)
    left = re.search(r"Stopped with (\d+) changes left: adzeguard enact --resume", said)
    assert (code, bool(left)) == (4, True), said
    assert rows(program, "intent") == rows(program, "outcome")
    assert "was interrupted with" in program("enact", "--yes").err
    assert "--resume, or --drop" in program("status").out
    by_hand = program("group", "add", "First Aiders", "orla.fenn", "--yes")
    assert (by_hand.code, "Beside this, the enactment e" in by_hand.err) == (0, True), by_hand.err
    assert program("undo", "--last", "--yes").code == 0
    other = Program(Path(shutil.copytree(program.folder, tmp_path / "other")))

    resumed = program("enact", "--resume", "--yes")
    assert (resumed.code, "Going on with e" in resumed.err) == (0, True), resumed.err
    assert program("propose", "--format", "json").json["changes"] == []
    assert program("journal", "verify").code == 0

    dropped = other("enact", "--drop", "--format", "json")
    assert [o["status"] for o in dropped.json].count("held-back") == int(left.group(1) if left else 0)
    assert other("enact", "--drop").code == 2
    name = re.search(r"undo (e[\d-]+)", dropped.err)
    # How far it came before it was stopped differs: it may have put in all that a group holds by now.
    undone = naming_numbers(other, "undo", name.group(1) if name else "", "--yes")
    assert undone.code == 0, undone.err
    assert contents(other.folder) == before
    assert other("journal", "verify").code == 0


def test_guards_judge_by_what_stands_when_the_change_is_made(demo: Program) -> None:
    """Domain Admins were emptied outside since the collection; taking out the last one is refused all the same."""
    only_cato_is_left(demo.folder)
    before = contents(demo.folder)
    refused = demo("group", "remove", ADMINS, "cato.lune", "--yes")

    assert (refused.code, "have changed since the last collection" in refused.err) == (1, True), (
        refused.err + refused.out
    )
    assert "Domain Admins would be left without a keeper" in refused.err
    assert contents(demo.folder) == before
    assert {row["name"] for row in demo("who", ADMINS, "--format", "json").json} == {"cato.lune"}


def test_what_is_resumed_passes_the_guards_again(demo: Program) -> None:
    """Killed before its removal, and the others taken out by somebody else since: the resumed run is refused."""
    directory = (demo.folder / "lowmere.ldif").read_bytes()
    assert demo("group", "remove", ADMINS, "cato.lune", "--yes").code == 0
    with closing(sqlite3.connect(demo.folder / ".adzeguard/store.db")) as store, store:
        store.execute("DELETE FROM journal WHERE kind <> 'begin'")
    (demo.folder / "lowmere.ldif").write_bytes(directory)
    assert demo("collect").code == 4
    only_cato_is_left(demo.folder)
    refused = demo("enact", "--resume", "--yes")
    assert (refused.code, "left without a keeper" in refused.err) == (1, True), refused.err + refused.out
    assert demo("enact", "--drop").code == 0
    assert f"member: {CATO}" in (demo.folder / "lowmere.ldif").read_text()
    assert demo("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0


def test_what_a_refused_deletion_was_about_is_not_lost_from_view(demo: Program) -> None:
    """The directory says no, since something lies in it by now: the object lives on, and is still found."""
    assert demo("ou", "create", "Slipway", "--in", "OU=People", "--unprotected", "--yes").code == 0
    path = demo.folder / "lowmere.ldif"
    crane = (
        "dn: CN=Crane,OU=Slipway,OU=People,DC=lowmere,DC=example\nobjectClass: top\nobjectClass: contact\ncn: Crane\n"
    )
    path.write_text(path.read_text().rstrip("\n") + f"\n\n{crane}")
    refused = demo("ou", "delete", "OU=Slipway,OU=People", "--yes", "--format", "json")

    assert refused.out, refused.err
    assert [o["status"] for o in refused.json] == ["refused"]
    assert demo("show", "OU=Slipway,OU=People").code == 0


def test_what_was_made_though_its_answer_was_lost_is_told_as_made_and_can_be_undone(demo: Program) -> None:
    """The connection is cut right after the write: the change is looked for, found, and taken back by undo."""
    before = contents(demo.folder)
    script = (
        "import sys; from adzeguard.cli.edge import run; from adzeguard.core.errors import DirectoryUnreachableError; "
        "from adzeguard.directory.ldif_file import LdifFile; write = LdifFile.modify\n"
        "def cut(*arguments):\n    write(*arguments)\n    raise DirectoryUnreachableError('the connection was cut')\n"
        "LdifFile.modify = cut\n"
        "sys.exit(run(['group', 'add', 'First Aiders', 'orla.fenn', '--yes', '--format', 'json']))"
    )
    ran = subprocess.run([sys.executable, "-c", script], cwd=demo.folder, capture_output=True, text=True, check=False)
    [outcome] = json.loads(ran.stdout)
    assert (ran.returncode, outcome["status"], outcome["detail"]) == (0, "verified", "no answer came, and it was made")
    assert "orla.fenn" in {m["name"] for m in demo("who", "First Aiders", "--format", "json").json}
    assert demo("undo", "--last", "--yes").code == 0
    assert contents(demo.folder) == before


def test_a_local_name_that_some_hosts_do_not_know_stops_its_rule_there_alone(demo: Program) -> None:
    """Where the name is known the rule is followed; on the others it is a finding, and changes nothing."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: fit, hosts: {named: [KIOSK-01, KIOSK-07]}, local-group: remote-desktop-users, "
        "only: ['local\\fitter'], response: mend}\n"
    )
    changed = {c["host"] for c in demo("propose", "--format", "json").json["changes"]}
    found = {(f["check"], f["subject"]) for f in demo("check", "--rule", "fit", "--format", "json").json}
    unknown = {subject.partition("\\")[0] for check, subject in found if check == "local-name-unknown"}
    assert unknown
    assert changed
    assert not unknown & changed
    assert unknown | changed == {"KIOSK-01", "KIOSK-07"}
