"""File shares: read, asked, kept over an interruption, and rid of what was deleted."""

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import pytest

from tests.program import Program

GONE = "S-1-5-21-2874019363-1145201871-3300671429-9417"
LETTERS = r"\\HARBOUR-04\Crew\Letters"


@pytest.fixture
def read(demo: Program) -> Program:
    """The demo with its shares read."""
    done = demo("collect", "--shares")
    assert (done.code, "Read 13 folders of 4 shares, 3 deep" in done.out) == (0, True), done.err
    return demo


def test_what_is_planted_on_the_harbours_shares(read: Program) -> None:
    """The empty group is named by a grant and a share; a person may, a stranger may not; who may is listed."""
    uses = {(row["what"], row["where"]) for row in read("uses", "Ledger Archive", "--format", "json").json}
    assert uses == {("grant", "OU=Retired"), ("share", r"\\HARBOUR-04\Ledgers")}
    hers = read("may", "mira.holt", "change", LETTERS, "--format", "json")
    assert (hers.code, hers.json[0]["allowed"], hers.json[0]["entry"]) == (
        0,
        True,
        r"LOWMERE\mira.holt may change what is in it",
    )
    his = read("may", "roan.pell", "read", LETTERS, "--format", "json")
    assert (his.code, his.json[0]["allowed"]) == (3, False)
    assert "on the share" not in his.json[0]["because"]
    owning = read("may", "mira.holt", "own", LETTERS, "--format", "json").json[0]
    assert "the share" in owning["because"]
    may = {row["name"] for row in read("may", "--who", "change", r"\\harbour-04\crew\letters", "--format", "json").json}
    assert {"mira.holt", "Administrator"} <= may
    assert "roan.pell" not in may
    batch = read.folder / "asked.csv"
    batch.write_text(f"who,right,object\nmira.holt,change,{LETTERS}\nmira.holt,fly,{LETTERS}\nx,read,{LETTERS}\n")
    answered = read("may", "--batch", batch, "--format", "json")
    assert [row["allowed"] for row in answered.json] == [True, None, None]
    assert answered.code == 4


def test_unknown_shares_and_rights_say_what_there_is(read: Program) -> None:
    """The share, the folder, the right: each with the way on."""
    for words, says in (
        (("may", "mira.holt", "read", r"\\HARBOUR-04\Nothing"), "no share"),
        (("may", "mira.holt", "read", r"\\HARBOUR-04\Crew\Deep\Down"), "lies deeper than was read"),
        (("may", "mira.holt", "fly", LETTERS), "One of read, change, own"),
    ):
        done = read(*words)
        assert (done.code, says in done.err) == (2, True), done.err


def test_orphans_are_found_taken_out_and_given_back(read: Program) -> None:
    """On objects, folders and hosts, with the copies that were handed on; undone all is as before."""
    before = {path.name: path.read_bytes() for path in (read.folder / "shares").iterdir()}
    rows = read("uses", "--orphans", "--format", "json").json
    assert {(row["sid"], row["what"], row["where"]) for row in rows} == {
        (GONE, "local-group", "KIOSK-12"),
        (GONE, "grant", "OU=People"),
        (GONE, "folder", r"\\HARBOUR-04\Harbour\Plans"),
        (GONE, "folder", r"\\HARBOUR-04\Harbour\Plans\Quay"),
    }
    asked = read("retire", "tidy", "--sid", GONE, "--only-propose", "tidy.json")
    assert asked.code == 3, asked.err
    assert read("uses", "--orphans", "--format", "json").json == rows
    refused = read("enact", "tidy.json", "--yes")
    assert (refused.code, "Give --vanished 1" in refused.err) == (1, True), refused.err
    done = read("enact", "tidy.json", "--yes", "--vanished", "1", "--format", "json")
    assert [row["status"] for row in done.json] == ["verified"] * 4, done.err
    assert read("uses", "--orphans", "--format", "json").json == []
    assert read("collect", "--shares").code == 0
    assert read("uses", "--orphans", "--format", "json").json == []
    after = {path.name: path.read_bytes() for path in (read.folder / "shares").iterdir()}
    assert {name for name in before if json.loads(before[name]) != json.loads(after[name])} == {"Harbour.json"}
    assert read("undo", "--last", "--yes").code == 0
    back = {path.name: path.read_bytes() for path in (read.folder / "shares").iterdir()}
    assert {name: json.loads(text) for name, text in back.items()} == {n: json.loads(t) for n, t in before.items()}
    assert read("journal", "verify").code == 0


def test_a_folder_that_changed_since_is_left_alone(read: Program) -> None:
    """Somebody else took the entry out meanwhile: it is so already, and nothing is written."""
    read("retire", "tidy", "--sid", GONE, "--only-propose", "tidy.json")
    file = read.folder / "shares/Harbour.json"
    content = json.loads(file.read_text())
    content["folders"]["Plans"] = content["folders"][""]
    file.write_text(json.dumps(content))
    done = read("enact", "tidy.json", "--yes", "--vanished", "1", "--format", "json")
    statuses = {row["object"]: (row["status"], row["detail"]) for row in done.json}
    assert statuses[r"\\HARBOUR-04\Harbour\Plans"] == ("conflict", "it is so already")
    assert json.loads(file.read_text())["folders"]["Plans"] == content["folders"]["Plans"]


def test_a_share_that_is_gone_is_forgotten_and_a_broken_one_kept(read: Program) -> None:
    """What cannot be read is listed with its reason, and what was read of it stays."""
    (read.folder / "shares/Timetables.json").unlink()
    (read.folder / "shares/Crew.json").write_text("{")
    done = read("collect", "--shares")
    assert (done.code, "Crew.json cannot be read" in done.err) == (4, True), done.err
    assert read("may", "mira.holt", "change", LETTERS).code == 0
    assert read("may", "mira.holt", "read", r"\\HARBOUR-04\Timetables").code == 2
    (read.folder / "shares").rename(read.folder / "away")
    done = read("collect", "--shares")
    assert (done.code, "does not answer" in done.err) == (4, True)
    assert read("may", "mira.holt", "change", LETTERS).code == 0


def test_reading_goes_on_where_it_was_stopped(demo: Program) -> None:
    """Ctrl-C in the middle of a large share: what was read is kept, and the next time only the rest is read."""
    content = json.loads((demo.folder / "shares/Crew.json").read_text())
    entry = content["folders"]["Rosters"]
    content["folders"] |= {f"part{n}": entry for n in range(900)}
    (demo.folder / "shares/Crew.json").write_text(json.dumps(content))
    running = subprocess.Popen(
        [sys.executable, "-m", "adzeguard", "collect", "--shares"],
        cwd=demo.folder,
        env=demo.environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )
    _wait_for_rows(demo.folder / ".adzeguard/store.db")
    running.send_signal(signal.SIGINT)
    out, err = running.communicate(timeout=60)
    first = int(out.split()[1])
    assert 0 < first < 900, (out, err)
    again = demo("collect", "--shares")
    assert again.code == 0
    assert f"{first} parts were read before the interruption" in again.out
    assert demo("may", "mira.holt", "change", LETTERS).code == 0


def _wait_for_rows(store: Path) -> None:
    import sqlite3
    import time

    end = time.monotonic() + 60
    while time.monotonic() < end:
        with sqlite3.connect(f"file:{store}?mode=ro", uri=True) as connection:
            if connection.execute("SELECT count(*) FROM share_part").fetchone()[0] > 5:
                return
        os.sched_yield()
    raise AssertionError("nothing was read")
